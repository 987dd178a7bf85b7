import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { demoPeople } from '@underbell/demo';
import { House, manager, publisher, until } from '../house.ts';
import { readPeople } from '../../src/access/peopleText.ts';
import { refused } from '../../../core/test/refused.ts';

const administrator = demoPeople.administrator.email;

describe('readPeople', () => {
  it('reads tables and lists as people have them', () => {
    const ada = { email: 'ada.lund@skerrow.example', name: 'Ada Lund' };
    for (const text of [
      'email,name\nada.lund@skerrow.example,Ada Lund\n',
      '\ufeffName;E-Mail\r\nAda Lund;ADA.Lund@skerrow.example\r\n',
      'Ada Lund <ada.lund@skerrow.example>',
      '"Ada Lund" <ada.lund@skerrow.example>',
      'ada.lund@skerrow.example',
      'Ada Lund\tada.lund@skerrow.example',
    ]) {
      const { people, problems } = readPeople(text);
      assert.deepEqual(problems, [], text);
      assert.deepEqual(
        people.map(({ email, name }) => ({ email, name })),
        [ada],
        text,
      );
    }
    const { people } = readPeople('email,groups,quay,organisation\na@b.example,Pilots|Crew,Q001;Q002,Harbour\n');
    const { groups, attributes, organisation } = people[0]!;
    assert.deepEqual([groups, attributes, organisation], [['Pilots', 'Crew'], { quay: ['Q001', 'Q002'] }, 'Harbour']);
  });

  it('names each row that names nobody, or somebody twice', () => {
    const { people, problems, rows } = readPeople('email,name\na@b.example,A\n,B\nnone,C\nA@B.example,D\n');
    assert.deepEqual([people.length, rows], [1, 4]);
    assert.deepEqual(
      problems.map((one) => one.at),
      ['row 3', 'row 4', 'row 5'],
    );
    refused('FILE_EMPTY', () => readPeople('email,name\n'));
    refused('FILE_EMPTY', () => readPeople(''));
    refused('INPUT_TOO_LARGE', () => readPeople('a@b.example\n'.repeat(2_001)));
    refused('FILE_MALFORMED', () => readPeople('email,name\n"a@b.example'));
  });
});

describe('many people', () => {
  let house: House;
  before(async () => {
    house = await House.open({ hasDemo: true });
  });
  after(() => house.close());
  const send = (text: string, more: object = {}, as: string = administrator) =>
    house.call('POST', '/api/v1/invitations/table', { as, body: { text, ...more } });
  const person = async (email: string) => house.call('GET', `/api/v1/users/${email}`, { as: administrator });
  const crew = `email,name,groups,quay
ada.crew@skerrow.example,Ada Crew,Quay managers,Q001
bo.crew@skerrow.example,Bo Crew,,
${manager},Known,,
`;

  it('are looked at, then invited with groups and attributes, and once however often they are sent', async () => {
    const looked = await send(crew, { isPreview: true });
    assert.equal(looked.status, 200, looked.text);
    assert.deepEqual(looked.body['known'], [manager]);
    assert.equal((await person('ada.crew@skerrow.example')).status, 404, 'a preview invites nobody');
    const both = await Promise.all([send(crew), send(crew)]);
    assert.ok(
      both.every((one) => one.status === 200),
      both.map((one) => one.text).join(),
    );
    const ada = (await person('ada.crew@skerrow.example')).body as unknown as {
      groups: string[];
      attributes: object;
      state: string;
    };
    assert.deepEqual([ada.state, ada.groups, ada.attributes], ['invited', ['Quay managers'], { quay: ['Q001'] }]);
    const again = (await send(crew)).body as unknown as { invited: object[]; known: object[] };
    assert.deepEqual([again.invited.length, again.known.length], [0, 3]);
    await until(async () => house.mail.mails.some((one) => one.to.includes('bo.crew@skerrow.example')));
    assert.equal(house.mail.mails.filter((one) => one.to.includes('bo.crew@skerrow.example')).length, 1);
  });

  it('are all refused for one invalid row, unless invalid rows are skipped', async () => {
    const text = 'email,groups,quay\ncy.crew@skerrow.example,Quay manager,\ndi.crew@skerrow.example,,Q003\nnone,,\n';
    const refusedAll = await send(text);
    assert.deepEqual([refusedAll.status, refusedAll.body.code], [400, 'INPUT_INVALID'], refusedAll.text);
    assert.deepEqual(
      refusedAll.body.problems?.map((one) => one.at),
      ['row 4', 'row 2'],
    );
    assert.equal((await person('di.crew@skerrow.example')).status, 404);
    const some = await send(text, { invalidRows: 'skip' });
    assert.equal(some.status, 200, some.text);
    assert.equal((some.body as unknown as { skipped: { rows: number } }).skipped.rows, 2);
    assert.equal((await person('di.crew@skerrow.example')).status, 200);
    const unknown = await send('email,quai\ney.crew@skerrow.example,Q001\n');
    assert.match(unknown.text, /no user attribute “quai”/);
  });

  it('are invited by administrators alone', async () => {
    for (const as of [publisher, manager])
      assert.equal((await send(crew, { isPreview: true }, as)).body.code, 'NOT_ALLOWED');
    assert.equal((await house.call('POST', '/api/v1/invitations/table', { body: { text: crew } })).status, 401);
  });
});

describe('members of a group', () => {
  let house: House;
  before(async () => {
    house = await House.open({ hasDemo: true });
  });
  after(() => house.close());
  const path = '/api/v1/groups/Wardens';
  const change = (body: object, as: string = administrator, where = path) =>
    house.call('POST', `${where}/members`, { as, body });
  let quays: string[] = [];

  before(async () => {
    const answer = await house.call('GET', '/api/v1/users', { as: administrator });
    const { people } = answer.body as unknown as { people: { email: string }[] };
    quays = people
      .map((one) => one.email)
      .filter((one) => one !== publisher)
      .sort()
      .slice(0, 12);
  });

  it('come and go one by one, also twelve at once, and everybody else stays', async () => {
    assert.equal(
      (await house.call('PUT', path, { as: administrator, body: { members: [], owners: [publisher] } })).status,
      204,
    );
    assert.equal((await change({ remove: [publisher] }, publisher)).status, 200);
    const all = await Promise.all(quays.map((one) => change({ add: [one.toUpperCase()] }, publisher)));
    assert.ok(
      all.every((one) => one.status === 200),
      all.map((one) => one.text).join(),
    );
    const left = await change({ remove: [quays[0]!, 'nobody@skerrow.example'], add: [publisher] }, publisher);
    assert.deepEqual(left.body['members'], [publisher, ...quays.slice(1)].sort());
    // Whoever owns it goes on owning it.
    const gone = await change({ remove: [publisher] });
    assert.deepEqual([gone.body['members'], gone.body['owners']], [quays.slice(1), [publisher]]);
  });

  it('are changed by owners and administrators, of groups that are kept here', async () => {
    assert.equal(
      (await change({ add: [manager] }, manager)).body.code,
      'NOT_FOUND',
      'who sees no groups learns of none',
    );
    const unknown = await change({ add: ['nobody@skerrow.example'] });
    assert.deepEqual([unknown.status, unknown.body.pointer], [404, '/add']);
    assert.equal((await change({})).body.code, 'INPUT_INVALID');
    const named = await change({ add: [manager] }, administrator, '/api/v1/groups/Warden');
    assert.deepEqual([named.status, named.body.nearest?.[0]], [404, 'Wardens']);
    const owned = await change({ add: [manager] }, publisher, '/api/v1/groups/Quay%20managers');
    assert.equal(owned.body.code, 'NOT_ALLOWED', owned.text);
  });
});
