import assert from 'node:assert/strict';
import { get } from 'node:http';
import { after, before, describe, it } from 'node:test';
import { gunzipSync } from 'node:zlib';
import { queryCache } from '../../src/dataset/index.ts';
import { openService } from '../../src/service.ts';
import { startWeb, stopWeb } from '../../src/server.ts';
import { closeApp, readSettings } from '../../src/platform/index.ts';
import { ownPorts } from '../ports.ts';
import { author, owner, reader, root, rowsOf, SmallHouse } from '../smallHouse.ts';

describe('answers that a process keeps', () => {
  let small: SmallHouse;
  before(async () => (small = await SmallHouse.open()));
  after(() => small.close());

  const path = '/api/v1/reports/works/view';
  const misses = () => queryCache(small.house.app).counts.misses;

  /** As a client asks that unpacks nothing by itself. */
  async function raw(url: string, as: string, headers: Record<string, string> = {}) {
    const key = await small.house.keyOf(as);
    return new Promise<{ status: number; encoding?: string; bytes: Buffer; tag?: string }>((resolve, reject) => {
      get(`${url}${path}`, { headers: { Authorization: `Bearer ${key}`, ...headers } }, (answer) => {
        const parts: Buffer[] = [];
        answer.on('data', (part: Buffer) => parts.push(part));
        answer.on('end', () =>
          resolve({
            status: answer.statusCode!,
            bytes: Buffer.concat(parts),
            ...(answer.headers['content-encoding'] ? { encoding: answer.headers['content-encoding'] } : {}),
            ...(answer.headers.etag ? { tag: answer.headers.etag } : {}),
          }),
        );
      }).on('error', reject);
    });
  }

  it('are the same bytes, packed and not, first and again', async () => {
    const { url } = small.house;
    const first = await raw(url, reader);
    const again = await raw(url, reader);
    const packed = await raw(url, reader, { 'Accept-Encoding': 'gzip' });
    const unwanted = await raw(url, reader, { 'Accept-Encoding': 'gzip;q=0, br' });
    assert.deepEqual([first.encoding, packed.encoding, unwanted.encoding], [undefined, 'gzip', undefined]);
    assert.deepEqual(again.bytes, first.bytes);
    assert.deepEqual(gunzipSync(packed.bytes), first.bytes);
    assert.equal((JSON.parse(first.bytes.toString()) as { viewer: string }).viewer, 'Reader');
    const known = await raw(url, reader, { 'If-None-Match': first.tag! });
    assert.deepEqual([known.status, known.bytes.length], [304, 0]);
  });

  it('are made once for all with the same filter, and say each their own name and limits', async () => {
    await small.view(reader);
    const before = misses();
    const [one, other] = [await small.view(reader), await small.view(author)];
    assert.equal(misses() - before, 0, 'no query for the second');
    const said = (answer: typeof one) => answer.body as unknown as { viewer: string; mayExport?: true };
    assert.deepEqual([said(one).viewer, said(other).viewer], ['Reader', 'Author']);
    assert.deepEqual(rowsOf(one, 'rows'), rowsOf(other, 'rows'));
    // Without rows of their own: what is kept for others is not theirs.
    await small.fine('PUT', `/api/v1/users/${author}`, { attributes: { quay: ['Q2'] } }, root);
    const moved = await small.view(author);
    assert.notDeepEqual(rowsOf(moved, 'rows'), rowsOf(one, 'rows'));
    assert.ok(rowsOf(moved, 'rows').every((row) => row[1] === 'Q2'));
  });

  it('count for nobody any more once a rule, a mask, a right or the rows change', async () => {
    const seen = async () => (await small.view(reader)).text;
    const texts = [await seen()];
    await small.rule("quay IN (person('quay')) AND kind <> 'lights'");
    texts.push(await seen());
    await small.mask('no-cost', 'Readers', { kind: 'hide', column: 'cost' });
    texts.push(await seen());
    await small.upload([{ id: 1, quay: 'Q1', kind: 'painting', cost: 5, day: '2026-10-01' }]);
    texts.push(await seen());
    assert.equal(new Set(texts).size, 4, 'each time another answer');
    assert.ok(!texts[2]!.includes('107.3'), 'the hidden column is in none of it');
    await small.rule("quay IN (person('quay'))");
    await small.fine('DELETE', '/api/v1/datasets/works/masks/no-cost', undefined, owner);
  });

  it('are kept from whoever lost their right or session, on another process too', async () => {
    const { house } = small;
    const port = await ownPorts();
    const settings = readSettings({ ...house.environment, UNDERBELL_PORT: String(port) });
    const other = openService(settings, house.app.log);
    const web = await startWeb(other);
    try {
      const url = `http://127.0.0.1:${port}`;
      for (const at of [house.url, url]) assert.equal((await raw(at, reader)).status, 200);
      const grants = (await house.call('GET', '/api/v1/permissions?kind=report&name=works', { as: owner }))
        .body as unknown as {
        grants: { id: number; holder: { name?: string } }[];
      };
      const { id } = grants.grants.find((one) => one.holder.name === reader)!;
      await small.fine('DELETE', `/api/v1/permissions/${id}`, undefined, owner);
      for (const at of [house.url, url]) assert.equal((await raw(at, reader)).status, 404);
      assert.equal((await raw(url, author)).status, 200);
      await house.call('DELETE', '/api/v1/session', { as: author });
      for (const at of [house.url, url]) assert.equal((await raw(at, author)).status, 401);
    } finally {
      await stopWeb(web);
      await closeApp(other);
    }
  });
});
