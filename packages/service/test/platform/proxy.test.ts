import assert from 'node:assert/strict';
import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { request } from 'node:https';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import { askerBehind, networksOf } from '../../src/platform/http/proxies.ts';
import { hashPassword } from '../../src/platform/index.ts';
import { addPerson } from '../../src/access/index.ts';
import { House } from '../house.ts';
import { ownPorts } from '../ports.ts';

describe('who asks behind proxies', () => {
  const trusted = networksOf(['10.0.0.0/8', '::1', '192.0.2.7']);

  it('is the nearest address that is no proxy of ours; what stands before it counts for nothing', () => {
    const cases: readonly (readonly [string, string, string])[] = [
      ['10.1.2.3', '203.0.113.5', '203.0.113.5'],
      ['10.1.2.3', '198.51.100.1, 203.0.113.5', '203.0.113.5'],
      ['10.1.2.3', '198.51.100.1, 203.0.113.5, 10.9.9.9', '203.0.113.5'],
      ['203.0.113.5', '198.51.100.1', '203.0.113.5'],
      ['::1', '[2001:db8::1]', '2001:db8::1'],
      ['10.1.2.3', '', '10.1.2.3'],
      ['10.1.2.3', 'somebody, <script>', '10.1.2.3'],
      ['::ffff:10.1.2.3', '203.0.113.5', '203.0.113.5'],
    ];
    for (const [peer, way, asker] of cases) assert.equal(askerBehind(peer, way, trusted), asker, `${peer} ${way}`);
  });
});

/** nginx of Debian's packages ends TLS in front of the service, as in most installations. */
describe('behind a proxy that ends TLS', () => {
  let house: House;
  let nginx: ChildProcess;
  let port: number;
  const email = 'kira@skerrow.example';
  const password = 'brass lantern over the quay';

  before(async () => {
    port = await ownPorts();
    house = await House.open({
      environment: { UNDERBELL_PUBLIC_URL: `https://127.0.0.1:${port}`, UNDERBELL_TRUSTED_PROXIES: '127.0.0.1' },
    });
    const passwordHash = await hashPassword(password);
    await house.app.records.transaction(() =>
      addPerson(house.app, { email, name: 'Kira', passwordHash, isAdministrator: true }),
    );
    const folder = mkdtempSync(join(tmpdir(), 'underbell-proxy-'));
    mkdirSync(join(folder, 'logs'));
    const [key, certificate] = [join(folder, 'key.pem'), join(folder, 'certificate.pem')];
    execFileSync('openssl', [
      ...['req', '-x509', '-newkey', 'rsa:2048', '-nodes', '-days', '2', '-subj', '/CN=127.0.0.1'],
      ...['-addext', 'subjectAltName=IP:127.0.0.1', '-keyout', key, '-out', certificate],
    ]);
    const config = join(folder, 'nginx.conf');
    writeFileSync(
      config,
      `daemon off; pid ${folder}/pid; error_log ${folder}/logs/error.log; worker_processes 1;
       events { worker_connections 64; }
       http {
         access_log off; client_body_temp_path ${folder}/body; proxy_temp_path ${folder}/proxy;
         fastcgi_temp_path ${folder}/f; uwsgi_temp_path ${folder}/u; scgi_temp_path ${folder}/s;
         server {
           listen 127.0.0.1:${port} ssl; ssl_certificate ${certificate}; ssl_certificate_key ${key};
           location / {
             proxy_pass http://127.0.0.1:${house.app.settings.port}; proxy_set_header Host $http_host;
             proxy_set_header X-Forwarded-For $proxy_add_x_forwarded_for; proxy_set_header X-Forwarded-Proto $scheme;
           }
         }
       }`,
    );
    nginx = spawn('/usr/sbin/nginx', ['-c', config, '-p', folder], { stdio: 'ignore' });
    for (;;) {
      const answer = await ask('GET', '/health/live').catch(() => undefined);
      if (answer?.status === 200) break;
      assert.equal(nginx.exitCode, null, 'nginx ended');
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
  });
  after(async () => {
    nginx.kill('SIGTERM');
    await house.close();
  });

  interface Said {
    readonly status: number;
    readonly cookies: readonly string[];
    readonly text: string;
  }
  function ask(
    method: string,
    path: string,
    given: { body?: object; headers?: Record<string, string> } = {},
  ): Promise<Said> {
    return new Promise((resolve, reject) => {
      const body = given.body === undefined ? undefined : JSON.stringify(given.body);
      const asked = request(
        {
          host: '127.0.0.1',
          port,
          method,
          path,
          rejectUnauthorized: false,
          headers: { ...(body ? { 'Content-Type': 'application/json' } : {}), ...given.headers },
        },
        (answer) => {
          let text = '';
          answer.on('data', (piece: Buffer) => (text += piece.toString()));
          answer.on('end', () =>
            resolve({ status: answer.statusCode!, cookies: answer.headers['set-cookie'] ?? [], text }),
          );
        },
      );
      asked.once('error', reject);
      asked.end(body);
    });
  }

  it('lets people sign in, with cookies that go over TLS alone, and knows them again', async () => {
    const answer = await ask('POST', '/api/v1/session', { body: { email, password } });
    assert.equal(answer.status, 200, answer.text);
    assert.ok(
      answer.cookies.length >= 2 && answer.cookies.every((one) => /; *secure/i.test(one)),
      answer.cookies.join(),
    );
    const cookie = answer.cookies.map((one) => one.split(';')[0]).join('; ');
    const again = await ask('GET', '/api/v1/session', { headers: { Cookie: cookie } });
    assert.equal(again.status, 200);
    const own = await ask('DELETE', '/api/v1/session', {
      headers: { Cookie: cookie, Origin: `https://127.0.0.1:${port}` },
    });
    assert.equal(own.status, 204, own.text);
  });

  it('takes the proxy’s word for who asks, and nobody’s who only writes the same header', async () => {
    const lastOrigin = async () => {
      const rows = await house.app.records.query('SELECT origin FROM audit ORDER BY id DESC LIMIT 1');
      return (rows[0] as { origin: string }[])[0]!.origin;
    };
    const signedIn = await ask('POST', '/api/v1/session', { body: { email, password, kind: 'command line' } });
    const { key } = JSON.parse(signedIn.text) as { key: string };
    const save = (name: string, headers: Record<string, string>) =>
      ask('PUT', `/api/v1/groups/${name}`, {
        body: { members: [] },
        headers: { Authorization: `Bearer ${key}`, ...headers },
      });
    // The proxy is asked from this machine; whatever the asker wrote stands before that.
    assert.equal((await save('One', { 'X-Forwarded-For': '203.0.113.9' })).status, 204);
    assert.equal(await lastOrigin(), '203.0.113.9', 'this machine is a trusted proxy itself');
    const strict = await House.open();
    try {
      const passwordHash = await hashPassword(password);
      await strict.app.records.transaction(() =>
        addPerson(strict.app, { email, name: 'Kira', passwordHash, isAdministrator: true }),
      );
      await strict.keyOf(email, password);
      const answer = await strict.call('PUT', '/api/v1/groups/Two', {
        as: email,
        body: { members: [] },
        headers: { 'X-Forwarded-For': '203.0.113.9', 'X-Forwarded-Proto': 'https' },
      });
      assert.equal(answer.status, 204);
      const [rows] = await strict.app.records.query('SELECT origin FROM audit ORDER BY id DESC LIMIT 1');
      assert.match((rows as { origin: string }[])[0]!.origin, /127\.0\.0\.1$/);
    } finally {
      await strict.close();
    }
  });
});
