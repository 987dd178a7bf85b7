import assert from 'node:assert/strict';
import { createServer, type IncomingMessage, type Server } from 'node:http';
import { after, before, describe, it } from 'node:test';
import { createPortal } from '../src/index.ts';

function serve(server: Server): Promise<string> {
  return new Promise((resolve) =>
    server.listen(0, '127.0.0.1', () => resolve(`http://127.0.0.1:${(server.address() as { port: number }).port}`)),
  );
}

async function bodyOf(request: IncomingMessage): Promise<string> {
  let text = '';
  for await (const chunk of request) text += String(chunk);
  return text;
}

describe('the portal', () => {
  const asked: { authorization: string; form: URLSearchParams }[] = [];
  let status = 200;
  const issuer = createServer(async (request, response) => {
    asked.push({
      authorization: request.headers.authorization ?? '',
      form: new URLSearchParams(await bodyOf(request)),
    });
    response
      .writeHead(status, { 'Content-Type': 'application/json' })
      .end(JSON.stringify({ access_token: 'tok', expires_in: 600 }));
  });
  let portal: Server;
  let url: string;
  before(async () => {
    const underBell = await serve(issuer);
    const quays = [
      { id: 'Q017', name: 'Sallow Pier', district: 'Tarvane Bay', isClosed: false },
      { id: "Q'18", name: 'Skipper’s <Quay>', district: 'Tarvane Bay', isClosed: true },
    ];
    portal = createServer(
      createPortal(
        { clientId: 'harbour', clientSecret: 's3', placement: 'quay-page', report: 'punctuality', quays },
        underBell,
      ).callback(),
    );
    url = await serve(portal);
  });
  after(() => {
    portal.close();
    issuer.close();
    portal.closeAllConnections();
    issuer.closeAllConnections();
  });

  it('lists the quays, safe for HTML', async () => {
    const text = await (await fetch(url)).text();
    assert.match(text, /Sallow Pier/);
    assert.match(text, /closed for the winter/);
    assert.ok(!text.includes('<Quay>'));
  });

  it('shows the element on the page of a quay, and nothing for one that is none', async () => {
    assert.match(
      await (await fetch(`${url}/quay/Q017`)).text(),
      /<under-bell src="[^"]+\/v\/quay-page" token-url="\/report-token\?quay=Q017"/,
    );
    assert.equal((await fetch(`${url}/quay/Q999`)).status, 404);
  });

  it('asks for a token that shows one quay, its secret kept to itself', async () => {
    const answer = await fetch(`${url}/report-token?quay=Q017`);
    assert.deepEqual(await answer.json(), { access_token: 'tok', expires_in: 600 });
    assert.equal(answer.headers.get('cache-control'), 'no-store');
    const { authorization, form } = asked.at(-1)!;
    assert.equal(authorization, `Basic ${Buffer.from('harbour:s3').toString('base64')}`);
    assert.deepEqual(JSON.parse(form.get('authorization_details')!), [
      { type: 'report_view', report: 'punctuality', actions: ['view'], where: { sailings: "quay_id = 'Q017'" } },
    ]);
  });

  it('doubles a quote inside a value', async () => {
    await fetch(`${url}/report-token?quay=${encodeURIComponent("Q'18")}`);
    assert.match(asked.at(-1)!.form.get('authorization_details')!, /quay_id = 'Q''18'/);
  });

  it('passes no token on when there is none, and asks for no quay that it does not know', async () => {
    status = 401;
    assert.equal((await fetch(`${url}/report-token?quay=Q017`)).status, 502);
    const before = asked.length;
    assert.equal((await fetch(`${url}/report-token?quay=Q999`)).status, 404);
    assert.equal((await fetch(`${url}/report-token?quay=Q017&quay=Q018`)).status, 404);
    assert.equal(asked.length, before);
  });
});

describe('the editor of the portal', () => {
  let embeds = '';
  const provider = createServer((request, response) => {
    if (request.url!.startsWith('/oembed'))
      return void response
        .writeHead(200, { 'Content-Type': 'application/json' })
        .end(JSON.stringify({ version: '1.0', type: 'rich', html: embeds, width: 800, height: 480 }));
    const href = `http://${request.headers.host}/oembed?url=x`;
    response
      .writeHead(200, { 'Content-Type': 'text/html' })
      .end(
        `<html><head><link rel="alternate" type="application/json+oembed" href="${href}"></head><body></body></html>`,
      );
  });
  let portal: Server;
  let url: string;
  let allowed: string;
  before(async () => {
    allowed = await serve(provider);
    const setup = { clientId: 'x', clientSecret: 'x', placement: 'x', report: 'x', network: 'network-page', quays: [] };
    portal = createServer(createPortal(setup, allowed).callback());
    url = await serve(portal);
  });
  after(() => {
    for (const one of [portal, provider]) {
      one.close();
      one.closeAllConnections();
    }
  });
  const save = (text: string, headers: Record<string, string> = {}) =>
    fetch(`${url}/pages/notices/edit`, {
      method: 'POST',
      redirect: 'manual',
      headers,
      body: new URLSearchParams({ title: 'Notices', text }),
    });
  const shown = async () => (await fetch(`${url}/pages/notices`)).text();

  it('turns a link on a line of its own into the frame that its page offers', async () => {
    embeds = `<iframe src="${allowed}/v/network-page" title="Figures" width="640" height="300"></iframe>`;
    assert.equal(
      (await save(`Today\n\n${allowed}/v/network-page\n\nand ${allowed}/v/other in a sentence`)).status,
      302,
    );
    const text = await shown();
    assert.match(text, new RegExp(`<iframe src="${allowed}/v/network-page" title="Figures" width="640" height="300"`));
    assert.equal(text.match(/<iframe/g)!.length, 1);
    assert.match(await (await fetch(`${url}/pages/network`)).text(), /<iframe/);
    assert.match(await (await fetch(url)).text(), /href="\/pages\/notices\/edit"/);
  });

  it('takes nothing but a frame of the provider into the page', async () => {
    for (const bad of [
      '<script>alert(1)</script>',
      `<img src=x onerror=alert(1)><iframe src="${allowed}/v/x"></iframe>`,
      '<iframe src="https://elsewhere.example/v/x"></iframe>',
      '<iframe src="javascript:alert(1)"></iframe>',
    ]) {
      embeds = bad;
      await save(`${allowed}/v/network-page\n<b>bold</b>\nhttps://elsewhere.example/v/x`);
      const text = await shown();
      assert.ok(!/<iframe|<script>|onerror|<b>bold/.test(text), bad);
    }
    embeds = `<iframe src="${allowed}/v/x" onload="alert(1)" title="&quot;><script>alert(1)</script>"></iframe>`;
    await save(`${allowed}/v/x`);
    assert.ok(!/onload|<script>/.test(await shown()));
  });

  it('is written by its own pages alone, and knows no others', async () => {
    assert.equal((await save('x', { Origin: 'https://elsewhere.example' })).status, 403);
    assert.equal((await fetch(`${url}/pages/none/edit`)).status, 404);
  });
});
