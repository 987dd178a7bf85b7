import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { House } from '../house.ts';

const enterprise = 'urn:ietf:params:scim:schemas:extension:enterprise:2.0:User';
const core = 'urn:ietf:params:scim:schemas:core:2.0:User';
const patchSchema = 'urn:ietf:params:scim:api:messages:2.0:PatchOp';

interface User {
  readonly id: string;
  readonly userName: string;
  readonly displayName?: string;
  readonly name?: { readonly givenName?: string; readonly familyName?: string; readonly formatted?: string };
  readonly emails?: readonly { readonly value: string; readonly type?: string; readonly primary?: boolean }[];
  readonly active: boolean;
  readonly externalId?: string;
}
interface Group {
  readonly id: string;
  readonly displayName: string;
  readonly members?: readonly { readonly value: string }[];
}
interface List<T> {
  readonly totalResults: number;
  readonly startIndex: number;
  readonly itemsPerPage: number;
  readonly Resources: readonly T[];
}

describe('provisioning, as directories speak', () => {
  let house: House;
  before(async () => (house = await House.open()));
  after(() => house.close());
  const scim = async <T>(method: string, path: string, body?: object) => {
    const token = house.app.settings.scimToken!;
    const headers = { 'Content-Type': 'application/scim+json' };
    const answer = await house.call(method, `/scim/v2${path}`, { token, body, headers });
    return { status: answer.status, body: answer.body as unknown as T, text: answer.text };
  };
  const fine = async <T>(method: string, path: string, body?: object): Promise<T> => {
    const answer = await scim<T>(method, path, body);
    assert.ok(answer.status < 300, `${method} ${path}: ${answer.status} ${answer.text}`);
    return answer.body;
  };
  const patch = (path: string, Operations: readonly object[]) => ({
    path,
    body: { schemas: [patchSchema], Operations },
  });
  let count = 0;
  const addUser = (change: object = {}) => {
    const email = `user${++count}@skerrow.example`;
    return fine<User>('POST', '/Users', {
      schemas: [core, enterprise],
      userName: email,
      displayName: `User ${count}`,
      name: { givenName: 'User', familyName: String(count), formatted: `User ${count}` },
      emails: [{ value: email, type: 'work', primary: true }],
      active: true,
      [enterprise]: { department: 'Quays' },
      ...change,
    });
  };
  const addGroup = (members: readonly string[] = []) =>
    fine<Group>('POST', '/Groups', {
      schemas: ['urn:ietf:params:scim:schemas:core:2.0:Group'],
      displayName: `Group ${++count}`,
      members: members.map((value) => ({ value })),
    });

  it('understands every form of a change of a user', async () => {
    const off = (one: User) => assert.equal(one.active, false);
    const forms: readonly [string, readonly object[], (after: User, before: User) => void][] = [
      ['a word for false', [{ op: 'Replace', path: 'active', value: 'False' }], off],
      ['no path, a word for false', [{ op: 'replace', value: { active: 'False' } }], off],
      ['a boolean', [{ op: 'replace', path: 'active', value: false }], off],
      ['a path with its schema', [{ op: 'replace', path: `${core}:active`, value: false }], off],
      [
        'an address by its type',
        [{ op: 'Replace', path: 'emails[type eq "work"].value', value: 'new-a@skerrow.example' }],
        (one) => assert.equal(one.emails![0]!.value, 'new-a@skerrow.example'),
      ],
      [
        'an address as a list',
        [{ op: 'add', path: 'emails', value: [{ value: 'new-b@skerrow.example', type: 'work', primary: true }] }],
        (one) => assert.equal(one.emails![0]!.value, 'new-b@skerrow.example'),
      ],
      [
        'dotted names without a path',
        [{ op: 'Add', value: { 'name.familyName': 'Wren', displayName: 'Tobias Wren' } }],
        (one) => assert.deepEqual([one.name!.familyName, one.displayName], ['Wren', 'Tobias Wren']),
      ],
      [
        'a user name',
        [{ op: 'replace', path: 'userName', value: 'Tobias.Wren' }],
        (one) => assert.equal(one.userName, 'Tobias.Wren'),
      ],
      [
        'what is not kept here',
        [
          { op: 'Add', path: `${enterprise}:department`, value: 'Docks' },
          { op: 'Replace', path: `${enterprise}:manager`, value: 'somebody' },
          { op: 'Add', path: 'phoneNumbers[type eq "mobile"].value', value: '123' },
          { op: 'Add', value: { title: 'Pilot', [`${enterprise}:costCenter`]: '7' } },
        ],
        (one, before) => assert.deepEqual(one, before),
      ],
      [
        'an outside number',
        [{ op: 'replace', path: 'externalId', value: 'X-1' }],
        (one) => assert.equal(one.externalId, 'X-1'),
      ],
    ];
    for (const [what, operations, check] of forms) {
      const user = await addUser();
      const { path, body } = patch(`/Users/${user.id}`, operations);
      const answer = await scim<User>('PATCH', path, body);
      assert.equal(answer.status, 200, `${what}: ${answer.text}`);
      const after = await fine<User>('GET', path);
      check(after, user);
    }
    process.stdout.write(`  ℹ ${forms.length} forms of a change of a user\n`);
  });

  it('refuses what is no change, in words, and changes nothing', async () => {
    const user = await addUser();
    for (const body of [
      {},
      { Operations: [] },
      { schemas: [patchSchema], Operations: ['replace'] },
      { schemas: [patchSchema], Operations: [{ op: 'turn', path: 'active', value: false }] },
      { schemas: [patchSchema], Operations: [{ op: 'replace', path: 'active', value: 'perhaps' }] },
      { schemas: [patchSchema], Operations: [{ op: 'remove' }] },
      { schemas: [patchSchema], Operations: [{ op: 'replace', value: 'False' }] },
    ]) {
      const answer = await scim<{ scimType: string; detail: string; status: string }>(
        'PATCH',
        `/Users/${user.id}`,
        body,
      );
      assert.deepEqual([answer.status, answer.body.status], [400, '400'], answer.text);
      assert.ok(answer.body.scimType && answer.body.detail);
    }
    assert.deepEqual(await fine('GET', `/Users/${user.id}`), user);
  });

  it('adds, removes and replaces members in every form, and loses none that come at once', async () => {
    const users = await Promise.all(Array.from({ length: 12 }, () => addUser()));
    const group = await addGroup();
    const path = `/Groups/${group.id}`;
    const members = async () => ((await fine<Group>('GET', path)).members ?? []).map((one) => one.value).sort();
    await Promise.all(
      users.map(({ id }) =>
        fine('PATCH', path, patch(path, [{ op: 'Add', path: 'members', value: [{ value: id }] }]).body),
      ),
    );
    assert.deepEqual(await members(), users.map((one) => one.id).sort());
    const [a, b, c, d] = users.map((one) => one.id) as [string, string, string, string];
    const forms: readonly [readonly object[], (before: string[]) => string[]][] = [
      [[{ op: 'Remove', path: 'members', value: [{ value: a }] }], (all) => all.filter((one) => one !== a)],
      [[{ op: 'remove', path: `members[value eq "${b}"]` }], (all) => all.filter((one) => one !== b)],
      // Nobody is removed who is no member, and nobody added twice.
      [[{ op: 'remove', path: `members[value eq "${b}"]` }], (all) => all],
      [[{ op: 'add', path: 'members', value: [{ value: c }] }], (all) => all],
      [[{ op: 'add', value: { members: [{ value: a }] } }], (all) => [...all, a]],
      [[{ op: 'replace', path: 'members', value: [{ value: c }, { value: d }] }], () => [c, d]],
      [[{ op: 'replace', value: { displayName: 'Renamed' } }], (all) => all],
      [[{ op: 'remove', path: 'members' }], () => []],
    ];
    for (const [operations, expected] of forms) {
      const before = await members();
      await fine('PATCH', path, patch(path, operations).body);
      assert.deepEqual(await members(), expected(before).sort(), JSON.stringify(operations));
    }
    assert.equal((await fine<Group>('GET', path)).displayName, 'Renamed');
    process.stdout.write(`  ℹ ${forms.length} forms of a change of members, 12 at once\n`);
  });

  it('makes one of several equal users that come at once, and says of the others that they are there', async () => {
    const user = { schemas: [core], userName: 'Once@Skerrow.example' };
    const answers = await Promise.all(
      Array.from({ length: 8 }, () => scim<{ scimType?: string }>('POST', '/Users', user)),
    );
    assert.deepEqual(answers.map((one) => one.status).sort(), [201, ...Array<number>(7).fill(409)]);
    assert.ok(answers.filter((one) => one.status === 409).every((one) => one.body.scimType === 'uniqueness'));
    const found = await fine<List<User>>(
      'GET',
      `/Users?filter=${encodeURIComponent('userName eq "ONCE@skerrow.EXAMPLE"')}`,
    );
    assert.deepEqual(
      found.Resources.map((one) => one.userName),
      ['Once@Skerrow.example'],
      'by whatever capitals, as it was written',
    );
  });

  it('has deleted who was deleted, until they come back as who they were', async () => {
    const user = await addUser({ externalId: 'gone-1' });
    assert.equal((await scim('DELETE', `/Users/${user.id}`)).status, 204);
    for (const method of ['GET', 'DELETE', 'PUT'])
      assert.equal((await scim(method, `/Users/${user.id}`, method === 'PUT' ? user : undefined)).status, 404, method);
    const listed = await fine<List<User>>('GET', '/Users');
    assert.ok(!listed.Resources.some((one) => one.id === user.id));
    const again = await fine<User>('POST', '/Users', { ...user, id: undefined });
    assert.deepEqual([again.id, again.active], [user.id, true]);
    assert.equal((await scim('POST', '/Users', { ...user, id: undefined })).status, 409);
    assert.equal((await scim('DELETE', `/Groups/${(await addGroup()).id}`)).status, 204);
  });

  it('lists by pages, filters and parts, and refuses what it cannot read', async () => {
    const all = await fine<List<User>>('GET', '/Users');
    assert.equal(all.totalResults, all.Resources.length);
    assert.ok(all.totalResults > 20);
    const ids: string[] = [];
    for (let startIndex = 1; startIndex <= all.totalResults; startIndex += 7) {
      const page = await fine<List<User>>('GET', `/Users?startIndex=${startIndex}&count=7`);
      assert.deepEqual([page.totalResults, page.startIndex], [all.totalResults, startIndex]);
      assert.equal(page.itemsPerPage, page.Resources.length);
      ids.push(...page.Resources.map((one) => one.id));
    }
    assert.deepEqual(
      ids,
      all.Resources.map((one) => one.id),
    );
    assert.deepEqual((await fine<List<User>>('GET', '/Users?count=0')).Resources, []);
    assert.equal((await fine<List<User>>('GET', '/Users?startIndex=-3&count=1')).startIndex, 1);
    assert.equal((await fine<List<User>>('GET', '/Users?startIndex=9999')).Resources.length, 0);
    const [first] = all.Resources;
    const filtered = async (text: string) =>
      (await fine<List<User>>('GET', `/Users?filter=${encodeURIComponent(text)}`)).Resources.map((one) => one.id);
    const userName = first!.userName;
    for (const text of [
      `userName eq "${userName}"`,
      `USERNAME Eq "${userName.toUpperCase()}"`,
      `${core}:userName eq "${userName}"`,
      `emails.value eq "${first!.emails![0]!.value}"`,
      `emails[type eq "work" and value eq "${first!.emails![0]!.value}"]`,
      `id eq "${first!.id}"`,
      `userName eq "${userName}" and not (displayName eq "nobody")`,
    ])
      assert.deepEqual(await filtered(text), [first!.id], text);
    assert.deepEqual(await filtered('userName eq "nobody"'), []);
    assert.ok((await filtered('active eq false')).length > 0);
    for (const text of ['userName eq', 'userName', 'userName is "a"', '(userName pr', 'userName eq "a" userName', '']) {
      const answer = await scim<{ scimType: string }>('GET', `/Users?filter=${encodeURIComponent(text)}`);
      assert.deepEqual([answer.status, answer.body.scimType], [400, 'invalidFilter'], `${text}: ${answer.text}`);
    }
    assert.equal((await scim('GET', '/Users?count=many')).status, 400);
    const some = await fine<List<User>>('GET', '/Users?attributes=userName&count=1');
    assert.deepEqual(Object.keys(some.Resources[0]!).sort(), ['id', 'userName']);
  });

  it('describes itself', async () => {
    const schemas = await fine<List<{ id: string }>>('GET', '/Schemas');
    assert.ok(schemas.Resources.some((one) => one.id === core));
    assert.equal((await fine<{ id: string }>('GET', `/Schemas/${core}`)).id, core);
    const types = await fine<List<{ name: string; endpoint: string }>>('GET', '/ResourceTypes');
    assert.deepEqual(types.Resources.map((one) => one.endpoint).sort(), ['/Groups', '/Users']);
    assert.equal((await fine<{ name: string }>('GET', '/ResourceTypes/User')).name, 'User');
    for (const path of ['/Schemas/none', '/ResourceTypes/none'])
      assert.equal((await scim('GET', path)).status, 404, path);
    const strange = await house.call('GET', '/scim/v2/Schemas', { token: 'guess' });
    assert.equal(strange.status, 401);
  });
});
