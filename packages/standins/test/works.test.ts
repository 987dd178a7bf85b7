import assert from 'node:assert/strict';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { after, before, describe, it } from 'node:test';
import { Directory, WorksApp, type WorksSetup } from '../src/index.ts';

const secret = 'a-secret-of-programs-that-is-long-enough';

/** A port that nobody has at this moment. */
async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  await new Promise((resolve) => server.close(resolve));
  return port;
}

describe('the works app, for its two companies', () => {
  let directory: Directory;
  let works: WorksApp;
  let reports: Server;
  let url: string;
  /** What the app's server asked for. */
  const asked: URLSearchParams[] = [];

  before(async () => {
    reports = createServer((request, response) => {
      let text = '';
      request.on('data', (part) => (text += String(part)));
      request.on('end', () => {
        asked.push(new URLSearchParams(text));
        response.setHeader('Content-Type', 'application/json');
        response.end(JSON.stringify({ access_token: 'abc', expires_in: 300 }));
      });
    });
    await new Promise<void>((resolve) => reports.listen(0, '127.0.0.1', resolve));
    const underBellUrl = `http://127.0.0.1:${(reports.address() as AddressInfo).port}`;
    const port = await freePort();
    url = `http://127.0.0.1:${port}`;
    directory = new Directory({
      port: 0,
      serviceUrl: underBellUrl,
      clientId: 'underbell',
      clientSecret: secret,
      scimToken: 'none',
      people: [
        { id: 'd-1', name: 'Ada', email: 'ada@ferries.example', attributes: [] },
        { id: 'd-2', name: 'Ben', email: 'ben@trust.example', attributes: [] },
      ],
      groups: [],
      programs: [{ id: 'works-app', secret, backTo: `${url}/sign-in/back` }],
    });
    const issuer = await directory.start();
    const setup: WorksSetup = {
      port,
      underBellUrl,
      clientId: 'works-app',
      clientSecret: secret,
      directory: { issuer, id: 'works-app', secret },
      app: 'works',
      record: 'quay-record',
      figures: [{ placement: 'by-kind', title: 'By kind' }],
      companies: [
        { id: 'ferries', title: 'Ferries' },
        { id: 'trust', title: 'Trust' },
      ],
      people: [
        { email: 'ada@ferries.example', company: 'ferries', isAdministrator: true },
        { email: 'ben@trust.example', company: 'trust' },
      ],
      quays: [
        { id: 'Q1', name: 'One', district: 'North', isClosed: false, berths: 2, companies: ['ferries'] },
        { id: 'Q2', name: '<Two>', district: 'South', isClosed: true, berths: 1, companies: ['ferries', 'trust'] },
      ],
      kinds: ['ramp'],
    };
    works = new WorksApp(setup);
    await works.start();
  });
  after(async () => {
    await works.stop();
    await directory.stop();
    reports.close();
  });

  /** Signs in as a browser would, and keeps its cookies. */
  async function signIn(id: string): Promise<(path: string) => Promise<Response>> {
    const jar = new Map<string, string>();
    const go = async (address: string, method = 'GET') => {
      const cookies = [...jar].map((pair) => pair.join('=')).join('; ');
      const answer = await fetch(address, { method, redirect: 'manual', headers: { Cookie: cookies } });
      for (const cookie of answer.headers.getSetCookie()) {
        const [name, value] = cookie.split(';')[0]!.split(/=(.*)/s) as [string, string];
        jar.set(name, value);
      }
      return answer;
    };
    let now = `${url}/sign-in`;
    for (let i = 0; i < 12; i++) {
      const answer = /\/interaction\/[^/]+$/.test(now) ? await go(`${now}/${id}`, 'POST') : await go(now);
      const next = answer.headers.get('location');
      if (next === null) break;
      now = new URL(next, now).href;
    }
    return (path) => go(`${url}${path}`);
  }

  it('shows strangers nothing but where to sign in', async () => {
    assert.match(await (await fetch(url)).text(), /Sign in with single sign-on/);
    for (const path of ['/quays/Q1', '/kinds', '/pages', '/administer', '/plain/Q1']) {
      const answer = await fetch(`${url}${path}`, { redirect: 'manual' });
      assert.equal(answer.status, 302, path);
      assert.match(answer.headers.get('location')!, /^\/sign-in\?to=/);
    }
    assert.equal((await fetch(`${url}/report-token?placement=quay-record&quay=Q1`)).status, 401);
  });

  it('shows a company its own quays, as text', async () => {
    const [ada, ben] = [await signIn('d-1'), await signIn('d-2')];
    assert.match(await (await ada('/')).text(), /One[^]*&#60;Two&#62;/);
    const theirs = await (await ben('/')).text();
    assert.ok(!theirs.includes('>One<') && theirs.includes('&#60;Two&#62;'));
    assert.equal((await ben('/quays/Q1')).status, 404);
    assert.equal((await ben('/administer')).status, 404);
    assert.equal((await ada('/administer')).status, 200);
  });

  it('asks for a token with the directory’s word, for records of the company alone', async () => {
    const ben = await signIn('d-2');
    asked.length = 0;
    assert.equal((await ben('/report-token?placement=quay-record&quay=Q1')).status, 403);
    assert.equal((await ben('/report-token?placement=else&quay=Q2')).status, 404);
    assert.equal(asked.length, 0);
    assert.equal((await ben('/report-token?placement=quay-record&quay=Q2&company=ferries')).status, 200);
    const [form] = asked;
    assert.equal(form!.get('subject_token_type'), 'urn:ietf:params:oauth:token-type:id_token');
    const [details] = JSON.parse(form!.get('authorization_details')!) as [{ context: object; person?: string }];
    assert.deepEqual(details.context, { quay: 'Q2', company: 'trust' }, 'the company is the session’s');
    assert.equal(details.person, undefined);
  });

  it('shows charts of its own by themselves', async () => {
    assert.match(await (await fetch(`${url}/charts/berths`)).text(), /<svg[^]*North[^]*South/);
    assert.equal((await fetch(`${url}/charts/nothing`)).status, 404);
  });
});
