import assert from 'node:assert/strict';
import { createServer, type Server } from 'node:http';
import { createServer as createTcp } from 'node:net';
import type { AddressInfo } from 'node:net';
import { after, before, describe, it } from 'node:test';
import pg from 'pg';
import { GuardedHttp, GuardedSocket, isSameAddress } from '../../src/platform/index.ts';
import { listen } from '../house.ts';
import { owner, SmallHouse } from '../smallHouse.ts';

describe('the guard of outgoing connections', () => {
  let server: Server;
  let port: number;
  let reached = 0;
  before(async () => {
    server = createServer((_, answer) => {
      reached++;
      answer.end('inside');
    });
    port = await listen(server);
  });
  after(() => new Promise((done) => server.close(done)));

  const hosts = [
    '127.0.0.1',
    '127.1',
    '2130706433',
    '0x7f000001',
    '[::ffff:127.0.0.1]',
    '[::ffff:7f00:1]',
    'localhost',
  ];

  it('lets nobody reach this machine by HTTP, however it is written, and looks where names lead', async () => {
    const http = new GuardedHttp({ allowedPrivateAddresses: [] });
    for (const host of [...hosts, '[::1]', '169.254.169.254', '[::ffff:169.254.169.254]', '[::ffff:a9fe:a9fe]'])
      await assert.rejects(http.ask(`http://${host}:${port}/`, {}), { code: 'ADDRESS_FORBIDDEN' }, host);
    assert.equal(reached, 0);
    await http.close();
  });

  it('lets it be reached where whoever runs the service says so, by that port alone', async () => {
    const http = new GuardedHttp({ allowedPrivateAddresses: [{ address: '127.0.0.1', port }] });
    for (const host of hosts.slice(0, 6)) {
      const answer = await http.ask(`http://${host}:${port}/`, {}).catch((error: unknown) => error as Error);
      // IPv4 within IPv6 may have no way here; what matters is that it is not the guard that says so.
      if (answer instanceof Error) assert.notEqual((answer as { code?: string }).code, 'ADDRESS_FORBIDDEN', host);
      else assert.equal(await answer.text(), 'inside');
    }
    await assert.rejects(http.ask(`http://127.0.0.1:${port + 1}/`, {}), { code: 'ADDRESS_FORBIDDEN' });
    await http.close();
  });

  it('follows no redirection, which could lead anywhere', async () => {
    const away = createServer((_, answer) => answer.writeHead(302, { Location: 'http://169.254.169.254/' }).end());
    const at = await listen(away);
    const http = new GuardedHttp({ allowedPrivateAddresses: [{ address: '127.0.0.1', port: at }] });
    await assert.rejects(http.ask(`http://127.0.0.1:${at}/`, {}));
    await http.close();
    await new Promise((done) => away.close(done));
  });

  it('looks at the address that a socket really connects to, whoever asks for it', async () => {
    const tcp = createTcp((socket) => socket.end());
    await new Promise<void>((done) => tcp.listen(0, '127.0.0.1', done));
    const at = (tcp.address() as AddressInfo).port;
    const connect = (...args: unknown[]) =>
      new Promise<string>((done) => {
        const socket = new GuardedSocket({ allowedPrivateAddresses: [] });
        socket.once('error', (error: Error & { code?: string }) => done(error.code ?? error.message));
        socket.once('connect', () => done('connected'));
        (socket.connect as (...given: unknown[]) => void)(...args);
      });
    assert.equal(await connect(at, '127.0.0.1'), 'ADDRESS_FORBIDDEN');
    assert.equal(await connect(at, 'localhost'), 'ADDRESS_FORBIDDEN');
    assert.equal(await connect({ host: '::ffff:127.0.0.1', port: at }), 'ADDRESS_FORBIDDEN');
    assert.equal(await connect('/var/run/postgresql/.s.PGSQL.5432'), 'ADDRESS_FORBIDDEN');
    assert.equal(await connect({ path: '/tmp/x.sock' }), 'ADDRESS_FORBIDDEN');
    await new Promise((done) => tcp.close(done));
  });

  it('takes addresses for the same however they are written', () => {
    assert.ok(isSameAddress('127.0.0.1', '::ffff:7f00:1') && isSameAddress('::1', '0:0:0:0:0:0:0:1'));
    assert.ok(!isSameAddress('127.0.0.1', '127.0.0.2'));
  });
});

describe('sources and destinations, from outside', () => {
  let small: SmallHouse;
  let role: { name: string; url: string };
  before(async () => {
    small = await SmallHouse.open();
    // Another database of the same server, with a role that only reads and one that writes.
    const own = new URL(small.house.app.settings.databaseUrl);
    const client = new pg.Client({ connectionString: own.href });
    await client.connect();
    const name = `src_${small.house.databaseName}`;
    await client.query(`CREATE DATABASE ${name}`);
    await client.query(`CREATE ROLE ${name}_reader LOGIN PASSWORD 'x'`);
    await client.end();
    const source = new URL(own.href);
    source.pathname = `/${name}`;
    const inside = new pg.Client({ connectionString: source.href });
    await inside.connect();
    await inside.query(
      `CREATE TABLE stock (id int, quay text); INSERT INTO stock VALUES (1, 'Q1'); GRANT SELECT ON stock TO ${name}_reader`,
    );
    await inside.end();
    const reader = new URL(source.href);
    reader.username = `${name}_reader`;
    reader.password = 'x';
    role = { name, url: reader.href };
  });
  after(async () => {
    const server = new URL(small.house.app.settings.databaseUrl);
    await small.close();
    server.pathname = '/postgres';
    const client = new pg.Client({ connectionString: server.href });
    await client.connect();
    await client.query(`DROP DATABASE ${role.name} WITH (FORCE)`);
    await client.query(`DROP ROLE ${role.name}_reader`);
    await client.end();
  });

  const save = (url: string) => small.house.call('PUT', '/api/v1/sources/stock', { as: owner, body: { url } });
  const define = (sql: string, more: object = {}) =>
    small.house.call('PUT', '/api/v1/datasets/stock', { as: owner, body: { source: 'stock', sql, ...more } });

  it('are not the service’s own records, however they are written', async () => {
    const own = new URL(small.house.app.settings.databaseUrl);
    const { port, pathname } = own;
    const tries = [
      own.href,
      `postgres://u@[::ffff:127.0.0.1]:${port}${pathname}`,
      `postgres://u@[::ffff:7f00:1]:${port}${pathname}`,
      `postgres://u@localhost:${port}/${pathname.slice(1).replaceAll('t', '%74')}`,
      `postgres://u@%2Fvar%2Frun%2Fpostgresql/x`,
      `postgres://u@%6cocalhost:${port}${pathname}`,
      `postgres://u@127.0.0.1:${port}${pathname}?host=/tmp`,
      `postgres://${pathname.slice(1)}@127.0.0.1:${port}`,
    ];
    for (const url of tries) assert.equal((await save(url)).body.code, 'ADDRESS_FORBIDDEN', url);
  });

  it('run one statement that reads, whatever else their SQL says', async () => {
    assert.equal((await save(role.url)).status, 200);
    const tries = [
      'SELECT 1 AS a) AS q; COMMIT; CREATE TABLE broken (x int); SELECT * FROM (SELECT 1',
      'SELECT 1 AS a) AS q) TO STDOUT; COMMIT; CREATE TABLE broken (x int); --',
      'SELECT 1; DROP TABLE stock',
      'DELETE FROM stock RETURNING id',
      'WITH gone AS (DELETE FROM stock RETURNING id) SELECT * FROM gone',
      'SELECT 1 AS a /* never closed',
      'COPY stock TO STDOUT',
      'SET default_transaction_read_only = off',
    ];
    for (const sql of tries)
      for (const kind of ['snapshot', 'live']) {
        const { body, text } = await define(sql, { kind });
        assert.ok(['SOURCE_REFUSED', 'SOURCE_WRITES'].includes(body.code!), `${kind} ${sql}: ${text}`);
      }
    const fine = await define("-- all of it\nSELECT id, quay FROM stock WHERE quay <> ';' -- the end");
    assert.equal(fine.status, 200, fine.text);
  });

  it('keep no setting that SQL of a live dataset made, for whoever asks next', async () => {
    const sql = `SELECT id, quay, set_config('statement_timeout', '1', false) AS was FROM stock`;
    assert.equal((await define(sql, { kind: 'live', keepSeconds: 0 })).status, 200);
    for (let i = 0; i < 6; i++) {
      const { status, text } = await small.house.call('GET', '/api/v1/datasets/stock/count', { as: owner });
      assert.equal(status, 200, text);
    }
  });

  it('are read by a role that only reads', async () => {
    const writer = new URL(role.url);
    const own = new URL(small.house.app.settings.databaseUrl);
    [writer.username, writer.password] = [own.username, own.password];
    assert.equal((await save(writer.href)).status, 200);
    assert.equal((await define('SELECT id FROM stock')).body.code, 'SOURCE_WRITES');
    await save(role.url);
    // Nor by one that could become such a role, or may do a little of it.
    const inside = new pg.Client({
      connectionString: Object.assign(new URL(own.href), { pathname: `/${role.name}` }).href,
    });
    await inside.connect();
    const [read, other] = [`${role.name}_reader`, `${role.name}_other`];
    await inside.query(`CREATE ROLE ${other} NOLOGIN; GRANT INSERT ON stock TO ${other}`);
    try {
      for (const [give, take] of [
        [`ALTER ROLE ${read} NOINHERIT; GRANT ${other} TO ${read}`, `REVOKE ${other} FROM ${read}`],
        [`GRANT pg_read_server_files TO ${read}`, `REVOKE pg_read_server_files FROM ${read}`],
        [`GRANT UPDATE (quay) ON stock TO ${read}`, `REVOKE UPDATE (quay) ON stock FROM ${read}`],
        [`GRANT TRUNCATE ON stock TO PUBLIC`, `REVOKE TRUNCATE ON stock FROM PUBLIC`],
        [`ALTER ROLE ${read} CREATEROLE`, `ALTER ROLE ${read} NOCREATEROLE`],
      ] as const) {
        await inside.query(give);
        assert.equal((await define('SELECT id FROM stock')).body.code, 'SOURCE_WRITES', give);
        await inside.query(take);
      }
      assert.equal((await define('SELECT id FROM stock')).status, 200);
    } finally {
      await inside.query(`DROP OWNED BY ${other}; DROP ROLE ${other}`);
      await inside.end();
    }
  });

  it('do not lie on this machine, unless that is allowed', async () => {
    const closed = await SmallHouse.open({ environment: { UNDERBELL_ALLOWED_PRIVATE_ADDRESSES: '127.0.0.1:1' } });
    try {
      const put = (name: string, body: object) =>
        closed.house.call('PUT', `/api/v1/destinations/${name}`, { as: owner, body });
      for (const address of ['http://127.0.0.1:7306/x', 'https://[::ffff:7f00:1]/x', 'https://localhost/x'])
        assert.equal((await put('lib', { kind: 'library', address })).body.code, 'ADDRESS_FORBIDDEN', address);
      assert.equal(
        (await put('mailer', { kind: 'mail', address: 'smtp://127.0.0.1:25' })).body.code,
        'ADDRESS_FORBIDDEN',
      );
      const source = await closed.house.call('PUT', '/api/v1/sources/stock', { as: owner, body: { url: role.url } });
      assert.equal(source.body.code, 'ADDRESS_FORBIDDEN');
      // What was saved while its name led elsewhere is looked at again when it is used.
      await closed.house.app.records.query(`UPDATE destinations SET sealed = NULL WHERE false`);
      const { openTransport } = await import('../../src/deliver/usecases.ts');
      const { putDestination } = await import('../../src/deliver/store.ts');
      const { app } = closed.house;
      const address = 'http://127.0.0.1:7306/x';
      const sealed = app.vault.seal(JSON.stringify({ address }), 'destination');
      await app.records.transaction(() =>
        putDestination(app, { name: 'old', kind: 'library', address, sealed, rates: [], parallel: 1 }),
      );
      const road = await openTransport(app, 'old');
      await assert.rejects(road.test(), { code: 'ADDRESS_FORBIDDEN' });
    } finally {
      await closed.close();
    }
  });
});
