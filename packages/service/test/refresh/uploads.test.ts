import assert from 'node:assert/strict';
import { once } from 'node:events';
import { connect, type Socket } from 'node:net';
import { after, before, describe, it } from 'node:test';
import { zipSync } from 'fflate';
import { until } from '../house.ts';
import { author, owner, reader, SmallHouse } from '../smallHouse.ts';

describe('files that people send in', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open({
      environment: {
        UNDERBELL_UPLOAD_MAX_MIB: '4',
        UNDERBELL_UPLOAD_MAX_ROW_KIB: '64',
        UNDERBELL_UPLOAD_MAX_CELLS: '20000',
        UNDERBELL_UPLOAD_MAX_UNPACKED_MIB: '16',
        UNDERBELL_MAX_PENDING_UPLOADS: '3',
      },
    });
  });
  after(() => small.close());

  const send = (content: string | Buffer, file = 'file.csv', as = owner) =>
    small.house.call('POST', `/api/v1/uploads?file=${file}`, { as, csv: content });
  const load = (content: string | Buffer, as = owner) =>
    small.house.call('PUT', '/api/v1/datasets/sent/file', { as, csv: content });
  const drop = async (id: string) => small.fine('DELETE', `/api/v1/uploads/${id}`, undefined, owner);

  it('are taken from those alone who may make a dataset or load into one', async () => {
    for (const as of [reader, author]) assert.equal((await send('a\n1', 'x.csv', as)).body.code, 'NOT_ALLOWED', as);
    const fine = await send('a\n1');
    assert.equal(fine.status, 201, fine.text);
    await drop((fine.body as unknown as { id: string }).id);
  });

  it('are refused when they are too much, by each way in, and leave nothing behind', async () => {
    const long = `a,b\n1,"${'x'.repeat(100_000)}`;
    const tries: readonly (readonly [string | Buffer, string])[] = [
      [Buffer.alloc(5_000_000, 'a,b\n'), 'file.csv'],
      [long, 'file.csv'],
      [`a\n${'1\n'.repeat(30_000)}`, 'file.csv'],
      [`${Array.from({ length: 600 }, (_, i) => `c${i}`).join(',')}\n${'1,'.repeat(599)}1`, 'file.csv'],
      [`{"a":"${'x'.repeat(100_000)}"}`, 'file.jsonl'],
      [`{"a":1}\n`.repeat(30_000), 'file.jsonl'],
    ];
    for (const [content, file] of tries) {
      const answer = await send(content, file);
      assert.equal(answer.body.code, 'INPUT_TOO_LARGE', `${file}: ${answer.text}`);
      if (file.endsWith('.csv')) assert.equal((await load(content)).body.code, 'INPUT_TOO_LARGE');
    }
    const { readdirSync } = await import('node:fs');
    const { join } = await import('node:path');
    const { workDir } = small.house.app.settings;
    assert.deepEqual(readdirSync(join(workDir, 'uploads')), []);
    assert.deepEqual(
      readdirSync(workDir).filter((name) => name.startsWith('upload-')),
      [],
    );
  });

  it('are refused when a workbook unpacks to more than it may, whatever it says of itself', async () => {
    const bomb = Buffer.from(zipSync({ 'xl/worksheets/sheet1.xml': new Uint8Array(40_000_000) }, { level: 9 }));
    assert.ok(bomb.length < 100_000);
    assert.equal((await send(bomb, 'bomb.xlsx')).body.code, 'INPUT_TOO_LARGE');
    // One that hides its size is read within the memory of a thread, and no further.
    const lying = Buffer.from(bomb);
    for (
      let at = lying.indexOf('PK\u0001\u0002', 'latin1');
      at >= 0;
      at = lying.indexOf('PK\u0001\u0002', at + 1, 'latin1')
    )
      lying.writeUInt32LE(100, at + 24);
    const answer = await send(lying, 'lying.xlsx');
    assert.ok(['INPUT_TOO_LARGE', 'FILE_MALFORMED'].includes(answer.body.code!), answer.text);
  });

  it('hold nobody else up while they are looked at', async () => {
    const csv = `a,b,c\n${'"some text",12.5,2026-10-01\n'.repeat(6_000)}`;
    const sending = Promise.all([send(csv), send(csv)]);
    let answered = 0;
    let isDone = false;
    void sending.then(() => (isDone = true));
    while (!isDone) {
      assert.equal((await small.house.call('GET', '/health/live')).status, 200);
      answered++;
    }
    assert.ok(answered > 5, `${answered} answers meanwhile`);
    const [one, two] = await sending;
    // Both wait to be loaded now, and a third may; a fourth may not.
    const third = await send('a\n1');
    assert.equal(third.status, 201, third.text);
    assert.equal((await send('a\n1')).body.code, 'RATE_LIMITED');
    for (const answer of [one, two, third]) await drop((answer.body as unknown as { id: string }).id);
    const many = await Promise.all(Array.from({ length: 8 }, () => send('a\n1')));
    assert.ok(many.filter((answer) => answer.status === 201).length <= 3);
    assert.ok(many.some((answer) => answer.body.code === 'RATE_LIMITED'));
  });
});

describe('readers', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
  });
  after(() => small.close());

  it('are refused a filter that costs more than one of them may take', async () => {
    const where = Array.from({ length: 60 }, (_, i) => `ACCENTI(CASEI(kind)) LIKE '%${i}%x%'`).join(' OR ');
    for (const path of ['/api/v1/reports/works/view', '/api/v1/datasets/works/count', '/api/v1/datasets/works/rows']) {
      const answer = await small.house.call('GET', `${path}?where=${encodeURIComponent(where)}`, { as: reader });
      assert.equal(answer.body.code, 'FILTER_TOO_COSTLY', path);
    }
  });

  it('take no more than their share of the connections, so that others need not wait', async () => {
    const { app } = small.house;
    const { runAs, connectionShares, takeConnection } = await import('../../src/platform/index.ts');
    assert.ok(connectionShares.person * 2 <= app.settings.connections.readers);
    const busy = await Promise.all(
      Array.from({ length: connectionShares.person }, () => runAs(['person:one'], () => takeConnection(app))),
    );
    let isOneMore = false;
    const oneMore = runAs(['person:one'], () => takeConnection(app)).then((giveBack) => {
      isOneMore = true;
      return giveBack;
    });
    // Others have theirs at once, while one more of the same person waits.
    const other = await runAs(['person:two'], () => takeConnection(app));
    assert.equal(isOneMore, false);
    busy[0]!();
    const late = await oneMore;
    assert.equal(isOneMore, true);
    for (const giveBack of [...busy, other, late]) giveBack();
    // Giving back twice gives back once.
    const again = await runAs(['person:one'], () => takeConnection(app));
    again();
    again();
  });

  it('who fetch rows as slowly as they like hold nobody up', { timeout: 120_000 }, async () => {
    const { house } = small;
    const wide = Array.from({ length: 20_000 }, (_, i) => `Q${1 + (i % 4)},${'some text '.repeat(60)}${i}`);
    const csv = ['quay,words', ...wide].join('\n');
    assert.equal((await house.call('PUT', '/api/v1/datasets/wide/file?key=quay=quay', { as: owner, csv })).status, 200);
    await small.fine(
      'PUT',
      '/api/v1/permissions',
      { holder: { kind: 'everyone' }, thing: { kind: 'dataset', name: 'wide' }, level: 'export' },
      owner,
    );
    const slow: Socket[] = [];
    const fetchSlowly = async (as: string) => {
      const key = await house.keyOf(as);
      const socket = connect(Number(new URL(house.url).port), '127.0.0.1');
      slow.push(socket);
      socket.on('error', () => undefined);
      socket.write(
        `GET /api/v1/datasets/wide/rows?format=csv HTTP/1.1\r\nHost: localhost\r\nAuthorization: Bearer ${key}\r\n\r\n`,
      );
      const [first] = (await once(socket, 'data')) as [Buffer];
      socket.pause();
      return Number(/^HTTP\/1\.1 (\d+)/.exec(first.toString('latin1'))![1]);
    };
    // As many as there are connections for downloads, by all who may; then one more of each.
    for (const as of [owner, author, reader]) for (const _ of [1, 2]) assert.equal(await fetchSlowly(as), 200);
    assert.equal(await fetchSlowly(owner), 429, 'two at once for each person');
    for (const as of [owner, author, reader]) {
      assert.equal((await small.view(as)).status, 200);
      assert.equal((await house.call('GET', '/api/v1/datasets/wide/count', { as })).status, 200);
    }
    for (const socket of slow) socket.destroy();
    await until(async () => ((await fetchSlowly(owner)) === 200 ? true : undefined));
    slow.at(-1)!.destroy();
  });
});
