import assert from 'node:assert/strict';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, before, beforeEach, describe, it } from 'node:test';
import { dropCredentials, readCredentials, saveCredentials, serviceUrl } from '../src/platform/credentials.ts';
import { Problem } from '../src/platform/problem.ts';
import { callApi, callService } from '../src/platform/service.ts';
import { runUnderbell } from './underbell.ts';

const folder = mkdtempSync(join(tmpdir(), 'underbell-cli-'));
const kept = join(folder, 'signed-in.json');
let server: Server;
let url: string;
/** What was asked last, and what is answered. */
let asked: { method: string; path: string; headers: IncomingMessage['headers']; body: string };
let answer: { status: number; text: string };

before(async () => {
  server = createServer((request, response) => {
    let body = '';
    request.on('data', (chunk) => (body += String(chunk)));
    request.on('end', () => {
      asked = { method: request.method!, path: request.url!, headers: request.headers, body };
      response.writeHead(answer.status, { 'Content-Type': 'application/json' });
      response.end(answer.text);
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  process.env['UNDERBELL_CREDENTIALS'] = kept;
  delete process.env['UNDERBELL_URL'];
});
after(() => {
  server.close();
  rmSync(folder, { recursive: true });
});
beforeEach(() => {
  saveCredentials({ url, key: 'a-key', email: 'mara.venn@skerrow.example' });
  answer = { status: 200, text: '{}' };
});

async function problem(work: Promise<unknown>): Promise<Problem> {
  const error: unknown = await work.then(
    () => assert.fail('nothing was refused'),
    (thrown: unknown) => thrown,
  );
  assert.ok(error instanceof Problem, String(error));
  return error;
}

describe('calls of the service', () => {
  it('say who asks, and what', async () => {
    answer.text = '{"rows": 3}';
    const query = { where: "quay = 'Q&1'", only: ['Q001', 'Q002'], again: true, limit: undefined };
    assert.deepEqual(await callApi('GET', '/api/v1/datasets/a/count', { query }), { rows: 3 });
    const { pathname, searchParams } = new URL(asked.path, url);
    assert.equal(pathname, '/api/v1/datasets/a/count');
    assert.deepEqual([...searchParams], [['where', "quay = 'Q&1'"], ['only', 'Q001'], ['only', 'Q002'], ['again', 'true']]); // prettier-ignore
    assert.equal(asked.headers.authorization, 'Bearer a-key');
  });

  it('send JSON, or a file as it stands', async () => {
    await callService('PUT', '/a', { body: { name: 'Zoë' } });
    assert.deepEqual([asked.headers['content-type'], asked.body], ['application/json', '{"name":"Zoë"}']);
    const path = join(folder, 'rows.csv');
    writeFileSync(path, 'quay,days\nQ001,3\n');
    answer.text = '{"rows": 1}';
    const file = { path, type: 'text/csv' };
    assert.deepEqual(await callApi('PUT', '/b', { file }), { rows: 1 });
    assert.deepEqual([asked.headers['content-type'], asked.body], ['text/csv', 'quay,days\nQ001,3\n']);
  });

  it('hand on what the service refused, word for word', async () => {
    const document = {
      type: 't',
      title: 'T',
      status: 404,
      code: 'NOT_FOUND',
      detail: 'there is no report `a`',
      nearest: ['b'],
    };
    answer = { status: 404, text: JSON.stringify(document) };
    const found = await problem(callApi('GET', '/a'));
    assert.deepEqual([found.document, found.exitCode], [document, 4]);
  });

  it('are explained when something else answers', async () => {
    for (const text of ['<html>Bad gateway</html>', '{"error":"bad"}', 'null', '']) {
      answer = { status: 502, text };
      const { document, exitCode } = await problem(callApi('GET', '/a'));
      assert.deepEqual([document.code, exitCode], ['INTERNAL', 1], text);
      assert.match(document.detail, /answered with status 502 and no reason/);
    }
    answer = { status: 200, text: '<html>Welcome</html>' };
    const { document } = await problem(callApi('GET', '/a'));
    assert.equal(document.code, 'SERVICE_UNREACHABLE');
    assert.match(document.detail, new RegExp(`The server at ${url} is not Under Bell`));
  });

  it('are explained when nothing answers', async () => {
    saveCredentials({ url: 'http://127.0.0.1:9', key: 'k', email: 'e' });
    const { document } = await problem(callApi('GET', '/a'));
    assert.deepEqual(
      [document.code, document.hint],
      ['SERVICE_UNREACHABLE', 'Start it with npm start, or check UNDERBELL_URL.'],
    );
  });

  it('need a sign-in and a file that is there', async () => {
    const file = { path: join(folder, 'nothing.csv'), type: 'text/csv' };
    assert.equal((await problem(callService('PUT', '/a', { file }))).document.code, 'NOT_FOUND');
    dropCredentials();
    const { document, exitCode } = await problem(callService('GET', '/a'));
    assert.deepEqual([document.code, document.hint, exitCode], ['SIGN_IN_NEEDED', 'Run underbell sign-in EMAIL.', 3]);
  });

  it('go where they are told', () => {
    process.env['UNDERBELL_URL'] = 'https://bell.skerrow.example/';
    try {
      assert.equal(serviceUrl(), 'https://bell.skerrow.example');
    } finally {
      delete process.env['UNDERBELL_URL'];
    }
    assert.equal(serviceUrl(), url);
    dropCredentials();
    assert.equal(serviceUrl(), 'http://127.0.0.1:7300');
  });
});

describe('what is kept of a sign-in', () => {
  it('is for its owner alone, and gone after signing out', () => {
    assert.equal(statSync(kept).mode & 0o777, 0o600);
    assert.equal(readCredentials()?.email, 'mara.venn@skerrow.example');
    dropCredentials();
    assert.equal(readCredentials(), undefined);
    dropCredentials();
  });

  it('is nobody when it is damaged, until somebody signs in again', async () => {
    for (const text of ['{"url": "http', '{"url": "http://x"}', '']) {
      writeFileSync(kept, text);
      assert.equal(readCredentials(), undefined, text);
      assert.equal((await problem(callService('GET', '/a'))).document.code, 'SIGN_IN_NEEDED');
    }
    saveCredentials({ url, key: 'new', email: 'e' });
    assert.match(readFileSync(kept, 'utf8'), /"new"/);
  });

  it('is of one service: another is never shown its key, and signing in to one leaves the others', async () => {
    const other = 'http://127.0.0.1:9999';
    process.env['UNDERBELL_URL'] = other;
    try {
      assert.equal(readCredentials(), undefined, 'the key of the first is not for the second');
      assert.match(
        (await problem(callService('GET', '/a'))).document.detail,
        /not signed in to http:\/\/127\.0\.0\.1:9999/,
      );
      saveCredentials({ url: other, key: 'other', email: 'o' });
      assert.equal(readCredentials()?.key, 'other');
      process.env['UNDERBELL_URL'] = `${url}/`;
      assert.equal(readCredentials()?.key, 'a-key');
      delete process.env['UNDERBELL_URL'];
      assert.equal(serviceUrl(), other, 'where somebody signed in last');
      dropCredentials();
      assert.equal(readCredentials(), undefined);
      process.env['UNDERBELL_URL'] = url;
      assert.equal(readCredentials()?.key, 'a-key');
    } finally {
      delete process.env['UNDERBELL_URL'];
    }
  });

  it('keeps each of many sign-ins at the same moment, and says which file a command left that ended in the middle', async () => {
    const path = join(folder, 'many.json');
    answer.text = JSON.stringify({ key: 'k', person: { name: 'Mara' } });
    const services = Array.from({ length: 8 }, (_, i) => `${url}/${i}`);
    const environment = { UNDERBELL_CREDENTIALS: path, UNDERBELL_PASSWORD: 'x' };
    const said = await Promise.all(
      services.map((one) => runUnderbell(['sign-in', 'mara.venn@skerrow.example', '--url', one], environment)),
    );
    assert.ok(
      said.every(({ code }) => code === 0),
      JSON.stringify(said),
    );
    const found = JSON.parse(readFileSync(path, 'utf8')) as { services: Record<string, object> };
    assert.deepEqual(Object.keys(found.services).sort(), services);
    assert.ok(!existsSync(`${path}.new`));
    writeFileSync(`${path}.new`, '');
    const stuck = await runUnderbell(['sign-in', 'mara.venn@skerrow.example', '--url', url], environment);
    assert.deepEqual([stuck.code, stuck.errors.includes(`delete ${path}.new`)], [2, true]);
  });

  it('takes both passwords from a pipe, one a line, and says which is missing', async () => {
    answer.text = JSON.stringify({ key: 'k', person: { name: 'Mara', email: 'mara.venn@skerrow.example' } });
    const changed = await runUnderbell(['password'], { UNDERBELL_CREDENTIALS: kept }, 'old one\nnew one\n');
    assert.deepEqual([changed.code, changed.errors], [0, '']);
    assert.deepEqual(JSON.parse(asked.body).password, 'new one');
    const half = await runUnderbell(['password'], { UNDERBELL_CREDENTIALS: kept }, 'old one\n');
    assert.equal(half.code, 2);
    assert.match(half.errors, /There is no new password\.[\s\S]*UNDERBELL_NEW_PASSWORD/);
  });

  it('lies where XDG says, whatever the demo left, and the file of the demo is read and never written', () => {
    const data = join(folder, 'data');
    const config = join(folder, 'config');
    mkdirSync(data, { recursive: true });
    const demo = JSON.stringify({ url, key: 'demo', email: 'mara.venn@skerrow.example' });
    writeFileSync(join(data, 'cli.json'), demo);
    delete process.env['UNDERBELL_CREDENTIALS'];
    Object.assign(process.env, { XDG_CONFIG_HOME: config, UNDERBELL_DATA: data });
    try {
      assert.deepEqual(readCredentials(), { url, key: 'demo', email: 'mara.venn@skerrow.example' });
      saveCredentials({ url, key: 'own', email: 'o' });
      assert.equal(readCredentials()?.key, 'own');
      assert.ok(existsSync(join(config, 'underbell', 'credentials.json')));
      dropCredentials();
      assert.equal(readCredentials()?.key, 'demo');
      assert.equal(readFileSync(join(data, 'cli.json'), 'utf8'), demo);
    } finally {
      delete process.env['XDG_CONFIG_HOME'];
      delete process.env['UNDERBELL_DATA'];
      process.env['UNDERBELL_CREDENTIALS'] = kept;
    }
  });
});
