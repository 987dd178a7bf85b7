import assert from 'node:assert/strict';
import { beforeEach, describe, it } from 'node:test';
import { ApiProblem } from '../src/platform/api.ts';
import { holderWords } from '../src/rule/rowRuleText.ts';
import { pathOf, useFavourites } from '../src/folder/useFavourites.ts';
import { useSession } from '../src/session/useSession.ts';
import { FakeService, refusal, settled } from './stage.ts';

let service: FakeService;
beforeEach(() => {
  service = new FakeService();
});
const mara = { email: 'mara.venn@skerrow.example', name: 'Mara Venn', isAdministrator: false };

describe('useSession', () => {
  it('is one for the whole console', async () => {
    const { load } = useSession();
    const isIn = load();
    await service.answer({ body: { person: mara, isAuthor: true } });
    assert.equal(await isIn, true);
    const { person, isAuthor } = useSession();
    assert.deepEqual([person.value, isAuthor.value], [mara, true]);
  });

  it('is nobody when the service says so, or says nothing', async () => {
    for (const answer of [refusal('SIGN_IN_NEEDED'), new Error('offline')]) {
      const { person, load } = useSession();
      const isIn = load();
      await service.answer(answer);
      assert.equal(await isIn, false);
      assert.equal(person.value, undefined);
    }
  });

  it('signs in, and out again', async () => {
    const { person, signIn, signOut } = useSession();
    const into = signIn(mara.email, 'lantern-quay-7');
    const asked = await service.answer({ body: {} });
    assert.deepEqual(asked.body, { email: mara.email, password: 'lantern-quay-7' });
    await service.answer({ body: { person: mara, isAuthor: true } });
    await into;
    assert.equal(person.value?.name, 'Mara Venn');
    const out = signOut();
    await service.answer({ status: 204 });
    await out;
    assert.equal(person.value, undefined);
    assert.deepEqual(service.asked, ['POST /api/v1/session', 'GET /api/v1/session', 'DELETE /api/v1/session']);
  });

  it('lets nobody in with a wrong password, and stays signed in when signing out fails', async () => {
    const { person, load, signIn, signOut } = useSession();
    const wrong = signIn(mara.email, 'wrong');
    const refused = assert.rejects(wrong, ApiProblem);
    await service.answer(refusal('SIGN_IN_REFUSED'));
    await refused;
    assert.deepEqual([person.value, service.asked.length], [undefined, 1]);
    const isIn = load();
    await service.answer({ body: { person: mara, isAuthor: true } });
    await isIn;
    const failed = assert.rejects(signOut(), ApiProblem);
    await service.answer(new Error('offline'));
    await failed;
    assert.equal(person.value?.name, 'Mara Venn');
  });

  it('sets the first person up', async () => {
    const { person, setUp } = useSession();
    const details = { code: 'abc', email: mara.email, name: 'Mara Venn', password: 'lantern-quay-7' };
    const done = setUp(details);
    assert.deepEqual((await service.answer({ body: {} })).body, details);
    await service.answer({ body: { person: { ...mara, isAdministrator: true }, isAuthor: true } });
    await done;
    assert.equal(person.value?.isAdministrator, true);
  });
});

describe('what is at hand', () => {
  const report = { kind: 'report', name: 'takings' } as const;

  it('is kept and let go of, and shown as the service has it', async () => {
    const { keep, isKept } = useFavourites();
    assert.equal(isKept(report), false);
    const kept = keep(report, true);
    await service.answer({ status: 204 });
    await service.answer({ body: { favourites: [{ ...report, title: 'Takings' }], recent: [] } });
    await kept;
    assert.equal(isKept(report), true);
    assert.equal(isKept({ ...report, kind: 'board' }), false);
    const gone = keep(report, false);
    await service.answer({ status: 204 });
    await service.answer({ body: { favourites: [], recent: [] } });
    await gone;
    assert.equal(isKept(report), false);
    assert.deepEqual(
      service.asked.filter((one) => one.includes('favourites/')),
      ['PUT /api/v1/favourites/report/takings', 'DELETE /api/v1/favourites/report/takings'],
    );
  });

  it('remembers in passing what was looked at, and a failure is nobody’s concern', async () => {
    useFavourites().looked(report);
    await service.answer(new Error('offline'));
    await settled();
    assert.deepEqual(service.asked, ['PUT /api/v1/recent/report/takings']);
  });

  it('is opened where it belongs', () => {
    assert.deepEqual(
      (['report', 'board', 'dataset'] as const).map((kind) => pathOf({ kind, name: 'a' })),
      ['/reports/a', '/boards/a', '/data/a'],
    );
  });
});

describe('whom a rule is for', () => {
  it('is said in words', () => {
    assert.equal(holderWords({ kind: 'everyone' }), 'everyone');
    assert.equal(holderWords({ kind: 'place', name: 'burst' }), 'every burst');
    assert.equal(holderWords({ kind: 'group', name: 'Quay managers' }), 'Quay managers');
  });
});
