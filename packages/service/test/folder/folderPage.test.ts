import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { Collection } from '@underbell/core/folder';
import { author, owner, reader, report, root, SmallHouse } from '../smallHouse.ts';

const portal = 'https://portal.example';

describe('a folder as a collection', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
    await small.fine('PUT', '/api/v1/folders/yard', { title: 'The yard' }, root);
    await small.fine('PUT', '/api/v1/folders/inner', { title: 'Inner', parentName: 'yard' }, root);
    for (const name of ['alpha', 'beta'])
      await small.fine(
        'POST',
        '/api/v1/reports',
        { definition: report({ name, title: `Report ${name}` }), notes: '' },
        owner,
      );
    const board = { format: 'underbell-board/1', name: 'day', title: 'A day', figures: [] };
    await small.fine('PUT', '/api/v1/boards', { definition: board }, owner);
    for (const thing of ['report/alpha', 'report/beta', 'board/day', 'dataset/works'])
      await small.fine('PUT', `/api/v1/${thing.replace('/', 's/')}/folder?confirmed=true`, { folder: 'yard' }, root);
  });
  after(() => small.close());
  const look = (as: string, name = 'yard') => small.house.call('GET', `/api/v1/folders/${name}/contents`, { as });
  const save = (as: string, body: object) => small.house.call('PUT', '/api/v1/folders/yard/page', { as, body });
  const give = (level: string, kind = 'folder', name = 'yard') =>
    small.fine(
      'PUT',
      '/api/v1/permissions',
      { holder: { kind: 'person', name: reader }, thing: { kind, name }, level },
      root,
    );
  const namesIn = (answer: { body: object }) => (answer.body as Collection).things.map((one) => one.name);

  it('is there for nobody without a right on it, whatever they may see in it', async () => {
    const [mine, none] = [await look(reader), await look(reader, 'nothing')];
    assert.deepEqual([mine.status, mine.body.code], [404, 'NOT_FOUND']);
    assert.deepEqual([none.status, none.body.code], [404, 'NOT_FOUND']);
    for (const [method, path] of [
      ['GET', '/api/v1/folders/yard/page'],
      ['PUT', '/api/v1/folders/yard/page'],
    ] as const)
      assert.notEqual(
        (await small.house.call(method, path, { as: reader, body: method === 'PUT' ? {} : undefined! })).status,
        200,
      );
  });

  it('is shared as one, and shows each person what is theirs, in its order', async () => {
    await give('view');
    const shared = await look(reader);
    assert.equal(shared.status, 200, shared.text);
    assert.deepEqual(namesIn(shared), ['day', 'alpha', 'beta'], 'by title, and no datasets');
    const order = ['report beta', 'board day'];
    const saved = await save(root, { words: 'Begin with beta.', order, origins: [portal] });
    assert.equal(saved.status, 200, saved.text);
    const found = (await look(reader)).body as unknown as Collection;
    assert.deepEqual([namesIn({ body: found }), found.words], [['beta', 'day', 'alpha'], 'Begin with beta.']);
    assert.deepEqual(found.folders, [{ name: 'inner', title: 'Inner' }]);
    for (const { picture } of found.things)
      assert.equal((await small.house.call('GET', picture, { as: reader })).status, 200, picture);
    assert.equal((await look(author)).status, 404, 'another who has no right');
  });

  it('is changed by its editors alone, with what lies in it alone', async () => {
    assert.equal((await save(reader, { words: 'Mine' })).body.code, 'NOT_ALLOWED');
    const strange = await save(root, { order: ['report works'] });
    assert.deepEqual([strange.body.code, strange.body.word], ['INPUT_INVALID', 'report works']);
    assert.equal((await save(root, { origins: ['*'] })).body.code, 'INPUT_INVALID');
    assert.equal((await save(root, { words: 'x'.repeat(4001) })).body.code, 'INPUT_INVALID');
  });

  it('stands in a frame of its hosts alone', async () => {
    const policy = async (name: string) =>
      (await small.house.call('GET', `/f/${name}`, { as: reader })).headers.get('Content-Security-Policy')!;
    // The policy is the same for all, and for what there is not: which of them names the page around is asked with the rest.
    for (const name of ['yard', 'nothing', 'inner'])
      assert.match(await policy(name), /frame-ancestors 'self' https:\/\/portal\.example$/);
    const within = async (name: string, host: string) => {
      const headers = { 'Underbell-Host': host };
      return (
        (await small.house.call('GET', `/api/v1/folders/${name}/contents`, { as: reader, headers })).body.code ??
        'shown'
      );
    };
    assert.equal(await within('yard', 'https://portal.example'), 'shown');
    assert.equal(await within('inner', 'https://portal.example'), 'HOST_NOT_NAMED');
    assert.equal(await within('yard', 'https://other.example'), 'HOST_NOT_NAMED');
  });

  it('goes with new names, and with the folder', async () => {
    await small.fine('PUT', '/api/v1/reports/beta/name', { name: 'gamma' }, owner);
    assert.deepEqual(namesIn(await look(reader)), ['gamma', 'day', 'alpha']);
    await small.fine('PUT', '/api/v1/folders/yard/name', { name: 'dock' }, root);
    assert.deepEqual(namesIn(await look(reader, 'dock')), ['gamma', 'day', 'alpha']);
    const old = await small.house.call('GET', '/f/yard', { as: reader });
    assert.match(
      old.headers.get('Content-Security-Policy')!,
      /portal\.example$/,
      'frames that name it by its old name',
    );
  });
});
