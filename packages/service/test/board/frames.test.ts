import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { author, owner, reader, root, SmallHouse } from '../smallHouse.ts';

const tide = 'https://tide.example';
const boardWith = (address: string) => ({
  format: 'underbell-board/1',
  name: 'wall',
  title: 'Wall',
  figures: [
    { name: 'count', report: 'works', page: 'all', figure: 'count', at: { column: 1, row: 1, width: 3, height: 2 } },
  ],
  frames: [{ name: 'tide', title: 'Tide', address, at: { column: 4, row: 1, width: 4, height: 4 } }],
});

describe('pages of other hosts on a board', () => {
  let small: SmallHouse;
  before(async () => (small = await SmallHouse.open()));
  after(() => small.close());
  const allow = (as: string, origins: readonly string[]) =>
    small.house.call('PUT', '/api/v1/allowed-frame-origins', { as, body: { origins } });
  const save = (address: string) =>
    small.house.call('PUT', '/api/v1/boards', { as: author, body: { definition: boardWith(address) } });
  const shown = async () => {
    const { body } = await small.fine('GET', '/api/v1/boards/wall/view', undefined, author);
    return (body as unknown as { page: { frames?: { address: string }[] } }).page.frames?.map((one) => one.address);
  };
  const policyOf = async (path: string) => {
    const { headers } = await fetch(`${small.house.url}${path}`);
    return headers.get('content-security-policy')!;
  };

  it('are of nobody until an administrator named their hosts, and nobody else may', async () => {
    for (const one of [author, owner, reader]) assert.equal((await allow(one, [tide])).body.code, 'NOT_ALLOWED');
    const refused = await save(`${tide}/today`);
    assert.equal(refused.body.code, 'BOARD_INVALID');
    assert.match(refused.text, /frames\/0\/address/);
    assert.equal(
      await small.house.call('GET', '/api/v1/boards/wall', { as: author }).then(({ status }) => status),
      404,
    );
    assert.ok(!(await policyOf('/b/wall')).includes('frame-src'));
  });

  it('never are pages of this service, nor anything that is no page of the web', async () => {
    assert.equal((await allow(root, [new URL(small.house.url).origin])).body.code, 'INPUT_INVALID');
    for (const word of [
      '*',
      'https://*',
      `${tide}/path`,
      'javascript:alert(1)',
      'data:text/html,x',
      "'self'",
      `${tide}; x`,
    ])
      assert.equal((await allow(root, [word])).body.code, 'INPUT_INVALID', word);
    await small.fine('PUT', '/api/v1/allowed-frame-origins', { origins: [tide] }, root);
    for (const address of [
      'javascript:alert(1)',
      'data:text/html,x',
      'https://tide.example.evil.example/',
      'http://tide.example/',
    ])
      assert.equal((await save(address)).body.code, 'BOARD_INVALID', address);
  });

  it('stand where they were named, in the policy of boards alone', async () => {
    assert.equal((await save(`${tide}/today`)).status, 200);
    assert.deepEqual(await shown(), [`${tide}/today`]);
    assert.match(await policyOf('/b/wall'), /frame-src 'self' https:\/\/tide\.example(;|$)/);
    for (const path of ['/console/', '/r/works', '/sign-in/window'])
      assert.ok(!(await policyOf(path)).includes('tide'), path);
  });

  it('go with the name of their host, from saved boards as well, and it is written down who took it', async () => {
    await small.fine('PUT', '/api/v1/allowed-frame-origins', { origins: ['https://weather.example'] }, root);
    assert.equal(await shown(), undefined);
    assert.ok(!(await policyOf('/b/wall')).includes('tide'));
    const { text } = await small.fine('GET', '/api/v1/audit-log?what=allowed frame origins set', undefined, root);
    assert.match(text, /"before":\{"origins":\["https:\/\/tide\.example"\]\}/);
  });
});
