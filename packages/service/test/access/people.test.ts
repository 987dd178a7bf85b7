import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { demoPeople } from '@underbell/demo';
import { verifyAudit } from '../../src/platform/index.ts';
import { board, House, manager, publisher, until } from '../house.ts';

const administrator = demoPeople.administrator.email;
const guest = 'ada@harbour.example';
const words = 'gulls over seven harbours';

describe('people from elsewhere', () => {
  let house: House;
  let clock = 0;
  before(async () => {
    house = await House.open({ hasDemo: true, now: () => Date.now() + clock });
  });
  after(() => house.close());

  /** The newest letter to an address, once the worker has sent it. */
  async function letterTo(address: string, subject: RegExp): Promise<string> {
    return until(async () => {
      for (const stored of [...house.mail.mails].reverse()) {
        const mail = await house.mail.parse(stored);
        if (stored.to.includes(address) && subject.test(mail.subject ?? '')) return mail.text ?? '';
      }
      return undefined;
    });
  }
  const keyIn = (letter: string) => /accept#(\S+)/.exec(letter)![1]!;
  const invite = (change: object = {}, as = publisher) =>
    house.call('POST', '/api/v1/invitations', {
      as,
      body: {
        email: guest,
        name: 'Ada Lund',
        organisation: 'Harbour of Ranshaw',
        rights: [{ kind: 'report', name: 'quay-punctuality', level: 'view' }],
        words: 'For Thursday.',
        ...change,
      },
    });
  const accept = (key: string, password = words) =>
    house.call('POST', '/api/v1/invitations/accept', { body: { key, password } });

  describe('an invitation', () => {
    it('gives no more than whoever invites may give', async () => {
      for (const [change, code, as] of [
        [{ organisation: undefined }, 'NOT_ALLOWED', publisher],
        [{ attributes: { quay: ['Q017'] } }, 'NOT_ALLOWED', publisher],
        [{ groups: ['Publishers'] }, 'NOT_ALLOWED', publisher],
        [{ rights: [{ kind: 'report', name: 'quay-punctuality', level: 'own' }] }, 'NOT_ALLOWED', publisher],
        [{ rights: [] }, 'INPUT_INVALID', publisher],
        [{ rights: [{ kind: 'report', name: 'quay-punctuality', level: 'view' }] }, 'NOT_ALLOWED', manager],
        [{ email: manager }, 'NAME_TAKEN', publisher],
        [{ attributes: { quai: ['Q017'] } }, 'INPUT_INVALID', administrator],
      ] as const)
        assert.equal((await invite(change, as)).body.code, code, JSON.stringify(change));
    });

    it('works once, with a password that is not guessed first, and replaces the one before', async () => {
      assert.equal((await invite()).status, 201);
      const first = keyIn(await letterTo(guest, /invited you/));
      const before = house.mail.mails.length;
      assert.equal((await invite()).status, 201);
      await until(() => house.mail.mails.length > before);
      const second = keyIn(await letterTo(guest, /invited you/));
      assert.equal((await accept(first)).body.code, 'INVITATION_INVALID');
      assert.equal((await accept(second, 'ada lund 1234')).body.code, 'PASSWORD_WEAK');
      const shown = await house.call('POST', '/api/v1/invitations/lookup', { body: { key: second } });
      assert.equal((shown.body as unknown as { email: string }).email, guest);
      const accepted = await accept(second);
      assert.equal(accepted.status, 200, accepted.text);
      assert.match(accepted.headers.get('set-cookie') ?? '', /underbell_session/);
      assert.equal((await accept(second)).body.code, 'INVITATION_INVALID');
      await house.keyOf(guest, words);
    });

    it('runs out after a week', async () => {
      await invite({ email: 'late@harbour.example' });
      const key = keyIn(await letterTo('late@harbour.example', /invited you/));
      clock += 8 * 24 * 3_600_000;
      assert.equal((await accept(key)).body.code, 'INVITATION_INVALID');
      clock -= 8 * 24 * 3_600_000;
    });

    it('makes a guest, who sees rows only where a rule says so, and nothing that everyone has', async () => {
      const view = () => house.call('GET', '/api/v1/placements/quay-page/view', { as: guest });
      const first = await view();
      assert.equal(first.status, 200);
      assert.match(first.text, /no row rule of dataset “sailings” applies/);
      await house.call('PUT', '/api/v1/datasets/sailings/row-rules/harbour', {
        as: publisher,
        body: {
          appliesTo: { kind: 'person', name: guest.toUpperCase() },
          where: { op: '=', args: [{ property: 'quay_id' }, 'Q002'] },
        },
      });
      assert.match((await view()).text, /quay is Q002/);
      const list = await house.call('GET', '/api/v1/datasets', { as: guest });
      assert.deepEqual(list.body, { datasets: [] });
      assert.equal((await house.call('GET', '/api/v1/users', { as: guest })).body.code, 'NOT_ALLOWED');
    });

    it('ends with the person: signed out at once', async () => {
      const left = await house.call('PUT', `/api/v1/users/${guest}`, { as: administrator, body: { state: 'left' } });
      assert.equal(left.status, 204);
      assert.equal((await house.call('GET', '/api/v1/session', { as: guest })).status, 401);
      const himself = await house.call('PUT', `/api/v1/users/${administrator}`, {
        as: administrator,
        body: { state: 'left' },
      });
      assert.equal(himself.body.code, 'IN_USE');
    });
  });

  describe('a request for access', () => {
    const ask = (body: object = { placement: 'quay-page', words: 'For the board.' }) =>
      house.call('POST', '/api/v1/access-requests', { as: board, body });
    const open = async () => {
      const { body } = await house.call('GET', '/api/v1/access-requests', { as: publisher });
      return (body as unknown as { requests: { id: number; state: string; placementName: string; words: string }[] })
        .requests;
    };
    const answer = (id: number, body: object, as = publisher) =>
      house.call('POST', `/api/v1/access-requests/${id}/decision`, { as, body });

    it('reaches the owners once, by mail and in the list, with place and words', async () => {
      assert.equal((await ask()).status, 202);
      await ask();
      const letter = await letterTo(publisher, /^Access request/);
      assert.match(letter, /Harbour board \(board@harbourboard\.example\)/);
      assert.match(letter, /“For the board\.”/);
      const requests = await open();
      assert.equal(requests.length, 1);
      assert.deepEqual([requests[0]!.placementName, requests[0]!.words], ['quay-page', 'For the board.']);
      const { body } = await house.call('GET', '/api/v1/access-requests', { as: manager });
      assert.deepEqual(body, { requests: [] });
    });

    it('is answered once: the reader sees it at once and is told by mail', async () => {
      const [request] = await open();
      assert.equal((await answer(request!.id, { level: 'view' }, manager)).body.code, 'NOT_ALLOWED');
      assert.equal((await answer(request!.id, { level: 'view' }, board)).body.code, 'NOT_FOUND');
      assert.equal((await house.call('GET', '/api/v1/placements/quay-page/view', { as: board })).status, 404);
      assert.equal((await answer(request!.id, { level: 'view', words: 'Welcome aboard.' })).status, 204);
      assert.equal((await house.call('GET', '/api/v1/placements/quay-page/view', { as: board })).status, 200);
      assert.match(await letterTo(board, /^Access granted/), /“Welcome aboard\.”[\s\S]*\/v\/quay-page/);
      assert.equal((await answer(request!.id, { level: 'export' })).body.code, 'VERSION_CONFLICT');
      const own = await house.call('GET', '/api/v1/access-requests/mine', { as: board });
      assert.match(own.text, /"state":"granted","level":"view","answer":"Welcome aboard\."/);
    });

    it('is refused with words', async () => {
      const { body } = await house.call('GET', '/api/v1/permissions?kind=report&name=quay-punctuality', {
        as: publisher,
      });
      const grants = (body as unknown as { grants: { id: number; holder: { name: string } }[] }).grants;
      const given = grants.find((one) => one.holder.name === board)!;
      assert.equal((await house.call('DELETE', `/api/v1/permissions/${given.id}`, { as: publisher })).status, 204);
      assert.equal((await house.call('GET', '/api/v1/placements/quay-page/view', { as: board })).status, 404);
      await ask();
      const request = (await open()).find((one) => one.state === 'open')!;
      await answer(request.id, { words: 'Ask again in spring.' });
      assert.match(await letterTo(board, /^Access denied/), /denied it[\s\S]*Ask again in spring/);
      assert.equal((await house.call('GET', '/api/v1/placements/quay-page/view', { as: board })).status, 404);
    });

    it('may be made only so often', async () => {
      let last = 0;
      for (let i = 0; i < 25 && last !== 429; i++) last = (await ask({ report: 'nothing' })).status;
      assert.equal(last, 429);
    });
  });

  describe('rights', () => {
    const give = (body: object, as: string) => house.call('PUT', '/api/v1/permissions', { as, body });
    const onReport = (holder: object, level: string, canPassOn = false) => ({
      holder,
      thing: { kind: 'report', name: 'quay-punctuality' },
      level,
      canPassOn,
    });

    it('are passed on only as far as they were given', async () => {
      const toBoard = { kind: 'person', name: board };
      assert.equal((await give(onReport(toBoard, 'view'), manager)).body.code, 'NOT_ALLOWED');
      assert.equal((await give(onReport({ kind: 'person', name: manager }, 'view', true), publisher)).status, 200);
      assert.equal((await give(onReport(toBoard, 'export'), manager)).body.code, 'NOT_ALLOWED');
      assert.equal((await give(onReport(toBoard, 'view'), manager)).status, 200);
      assert.equal((await house.call('GET', '/api/v1/reports/quay-punctuality/view', { as: board })).status, 200);
      assert.equal(
        (await give(onReport({ kind: 'group', name: 'Quay mangers' }, 'view'), publisher)).body.nearest?.[0],
        'Quay managers',
      );
    });

    it('cannot be taken from the last owner, and only by who gave them or owns', async () => {
      await house.call('PUT', '/api/v1/folders/own', { as: publisher, body: { title: 'Own' } });
      const { body } = await house.call('GET', '/api/v1/permissions?kind=folder&name=own', { as: publisher });
      const { grants, own } = body as unknown as { grants: { id: number }[]; own: { because: string } };
      assert.equal(own.because, 'may own: given by name, folder own');
      assert.equal(
        (await house.call('DELETE', `/api/v1/permissions/${grants[0]!.id}`, { as: publisher })).body.code,
        'IN_USE',
      );
      assert.equal(
        (await house.call('DELETE', `/api/v1/permissions/${grants[0]!.id}`, { as: manager })).body.code,
        'NOT_FOUND',
      );
      assert.equal(
        (await house.call('PUT', '/api/v1/folders/mine', { as: manager, body: { title: 'Mine' } })).body.code,
        'NOT_ALLOWED',
      );
    });

    it('follow a report out of its folder', async () => {
      const view = () =>
        house.call('GET', '/api/v1/reports/quay-punctuality/view', { as: 'ada.arkwell.q001@skerrow.example' });
      assert.equal((await view()).status, 200);
      const move = (folder: string | null, query = '') =>
        house.call('PUT', `/api/v1/reports/quay-punctuality/folder${query}`, { as: publisher, body: { folder } });
      await move(null);
      assert.equal((await view()).status, 404);
      assert.equal((await move('nowhere')).body.code, 'NOT_FOUND');
      // More people would reach it there: that is said, and done only when it is confirmed.
      const grown = await move('operations');
      assert.equal(grown.body.code, 'PERMISSIONS_WIDENED');
      assert.ok(grown.body.problems!.some((one) => one.at === 'ada.arkwell.q001@skerrow.example'));
      assert.equal((await view()).status, 404);
      assert.equal((await move('operations', '?confirmed=true')).status, 204);
      assert.equal((await view()).status, 200);
    });
  });

  describe('groups, attributes and passwords', () => {
    it('are kept by owners and administrators, and not taken away while something names them', async () => {
      const save = (as: string, body: object) => house.call('PUT', '/api/v1/groups/Harbour%20board', { as, body });
      assert.equal((await save(publisher, { members: [board] })).body.code, 'NOT_ALLOWED');
      assert.equal((await save(administrator, { members: [board], owners: [publisher] })).status, 204);
      // Whoever keeps a group belongs to it only where that is said: nothing given to it reaches them.
      const me = (await house.call('GET', '/api/v1/session', { as: publisher })).text;
      assert.doesNotMatch(me, /Harbour board/);
      assert.equal((await save(publisher, { members: [board, manager], owners: [publisher] })).status, 204);
      assert.equal((await save(publisher, { members: ['nobody@skerrow.example'] })).body.pointer, '/members');
      assert.equal(
        (await house.call('DELETE', '/api/v1/groups/Quay%20managers', { as: administrator })).body.code,
        'IN_USE',
      );
      const kept = await house.call('PUT', '/api/v1/groups/District%20leads', {
        as: administrator,
        body: { members: [] },
      });
      assert.match(kept.text, /managed by the identity provider/);
    });

    it('are typed: a value that does not fit is refused', async () => {
      const declare = (name: string, body: object) =>
        house.call('PUT', `/api/v1/user-attributes/${name}`, { as: administrator, body });
      await declare('limit', { label: 'Limit', type: 'number', isMany: false });
      const change = (attributes: object) =>
        house.call('PUT', `/api/v1/users/${manager}`, {
          as: administrator,
          body: { attributes: { quay: ['Q017'], ...attributes } },
        });
      assert.equal((await change({ limit: ['many'] })).body.code, 'VALUE_INVALID');
      assert.equal((await change({ limit: ['1', '2'] })).body.code, 'INPUT_INVALID');
      assert.equal((await change({ limitt: ['1'] })).body.nearest?.[0], 'limit');
      assert.equal((await change({ limit: ['12.5'] })).status, 204);
      assert.equal(
        (await house.call('PUT', `/api/v1/users/${manager}`, { as: publisher, body: { name: 'X' } })).body.code,
        'NOT_ALLOWED',
      );
    });

    it('change a password only with the current one, and end every session', async () => {
      const change = (current: string, password: string) =>
        house.call('PUT', '/api/v1/session/password', { as: board, body: { current, password } });
      assert.equal((await change('wrong', words)).body.code, 'SIGN_IN_FAILED');
      assert.equal((await change('lantern-quay-7', 'short')).body.code, 'PASSWORD_WEAK');
      assert.equal((await change('lantern-quay-7', words)).status, 204);
      assert.equal((await house.call('GET', '/api/v1/session', { as: board })).status, 401);
    });
  });

  describe('masks', () => {
    const save = (name: string, body: object) =>
      house.call('PUT', `/api/v1/datasets/sailings/masks/${name}`, { as: publisher, body });
    const everyone = { kind: 'everyone' };

    it('are checked before they are saved', async () => {
      for (const [body, code] of [
        [{ appliesTo: everyone, effect: { kind: 'hide', column: 'vesel' } }, 'FILTER_UNKNOWN_COLUMN'],
        [{ appliesTo: everyone, effect: { kind: 'coarsen', column: 'vessel', by: { to: 'month' } } }, 'INPUT_INVALID'],
        [
          { appliesTo: everyone, effect: { kind: 'coarsen', column: 'fares', by: { to: 'column', column: 'vessel' } } },
          'INPUT_INVALID',
        ],
        [{ appliesTo: everyone, effect: { kind: 'small groups', rows: 1 } }, 'INPUT_INVALID'],
        [{ appliesTo: { kind: 'place', name: 'kiosk' }, effect: { kind: 'hide', column: 'vessel' } }, 'INPUT_INVALID'],
        [{ appliesTo: { kind: 'group', name: 'Nobody' }, effect: { kind: 'hide', column: 'vessel' } }, 'NOT_FOUND'],
        [{ appliesTo: everyone, except: ['Nobody'], effect: { kind: 'hide', column: 'vessel' } }, 'NOT_FOUND'],
      ] as const)
        assert.equal((await save('bad', body)).body.code, code, JSON.stringify(body));
    });

    it('coarsen dates and numbers in figures, filters and exports alike', async () => {
      await save('months', {
        appliesTo: { kind: 'person', name: publisher },
        effect: { kind: 'coarsen', column: 'sailed_on', by: { to: 'month' } },
      });
      const rows = (where: string) =>
        house.call('GET', `/api/v1/datasets/sailings/values?column=sailed_on&starts=${where}`, { as: publisher });
      const { values } = (await rows('2026')).body as unknown as { values: string[] };
      assert.ok(values.length > 0 && values.every((one) => one.endsWith('-01')), values.join());
      const count = await house.call(
        'GET',
        `/api/v1/datasets/sailings/rows?format=jsonl&where=${encodeURIComponent("sailed_on = DATE('2026-10-02')")}`,
        { as: publisher },
      );
      assert.equal(count.text, '');
      assert.equal(
        (await house.call('DELETE', '/api/v1/datasets/sailings/masks/months', { as: publisher })).status,
        204,
      );
    });

    it('stop a burst whose sender does not see what it is cut by', async () => {
      await save('no-quays', {
        appliesTo: { kind: 'place', name: 'burst' },
        effect: { kind: 'hide', column: 'quay_id' },
      });
      const plan = await house.call('POST', '/api/v1/bursts/quay-pack/runs', {
        as: publisher,
        body: { period: '2026-10' },
      });
      const ledger =
        plan.status === 202 ? await house.finished((plan.body as unknown as { id: number }).id, publisher) : undefined;
      assert.ok(plan.body.code === 'COLUMN_HIDDEN' || ledger?.state === 'failed', plan.text);
      assert.equal(ledger?.counts.sent ?? 0, 0);
      await house.call('DELETE', '/api/v1/datasets/sailings/masks/no-quays', { as: publisher });
    });
  });

  it('leave a log whose chain holds, and shows where it does not', async () => {
    const check = () => house.call('GET', '/api/v1/audit-log/verify', { as: administrator });
    const { entries, brokenAt } = await verifyAudit(house.app);
    assert.ok(entries > 20);
    assert.equal(brokenAt, undefined);
    await house.app.records.query("UPDATE audit SET after = '{}' WHERE id = (SELECT min(id) + 5 FROM audit)");
    const broken = (await check()).body as unknown as { brokenAt: number };
    assert.equal(typeof broken.brokenAt, 'number');
    assert.equal((await house.call('GET', '/api/v1/audit-log/verify', { as: publisher })).body.code, 'NOT_ALLOWED');
  });
});
