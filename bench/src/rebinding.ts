import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { Browser } from 'playwright-core';
import { median } from './figures.ts';

/** What makes a host beside the service: its address, the key of somebody who owns the report, and the records that are shown. */
export interface RebindingBench {
  readonly base: string;
  readonly key: string;
  readonly quays: readonly string[];
}

async function call(base: string, path: string, method: string, key: string, body: object): Promise<unknown> {
  const answer = await fetch(`${base}${path}`, {
    method,
    headers: { Authorization: `Bearer ${key}`, 'Content-Type': 'application/json' },
    body: JSON.stringify(body),
  });
  const text = await answer.text();
  if (!answer.ok) throw new Error(`${path}: ${text}`);
  return JSON.parse(text);
}

/** A host as the guide says: the element on its page, and its own server that asks for a token for the record that is shown. */
async function host({ base, key, quays }: RebindingBench): Promise<{ url: string; close: () => void }> {
  const made = (await call(base, '/api/v1/clients', 'POST', key, {
    id: 'bench-host',
    title: 'Bench',
    reports: ['quay-punctuality'],
  })) as { secret: string };
  const secret = `Basic ${Buffer.from(`bench-host:${made.secret}`).toString('base64')}`;
  const page = `<!doctype html><meta charset="utf-8"><script type="module" src="${base}/element.js"></script>
<under-bell src="${base}/v/bound" token-from="/token" record='{"quay":"${quays[0]!}"}'></under-bell>`;
  const server = createServer((request, response) => {
    const { pathname, searchParams } = new URL(request.url!, 'http://host');
    if (pathname !== '/token') return void response.setHeader('Content-Type', 'text/html').end(page);
    const quay = searchParams.get('quay');
    if (quay === null) return void response.writeHead(404).end();
    const details = [
      { type: 'report_view', report: 'quay-punctuality', placement: 'bound', actions: ['view'], context: { quay } },
    ];
    const body = new URLSearchParams({
      grant_type: 'client_credentials',
      authorization_details: JSON.stringify(details),
    });
    void fetch(`${base}/oauth/token`, { method: 'POST', headers: { Authorization: secret }, body }).then(
      async (answer) => response.writeHead(answer.status).end(await answer.text()),
      (error: unknown) => response.writeHead(502).end(String(error)),
    );
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  await call(base, '/api/v1/placements/bound', 'PUT', key, {
    kind: 'app',
    title: 'Bound',
    report: 'quay-punctuality',
    origins: [url],
    where: { sailings: "quay_id = record('quay')" },
  });
  return { url, close: () => server.close() };
}

/**
 * From another record at the element, which needs another token and figures that nobody asked for yet, to the page drawn anew:
 * milliseconds, as the host's page measures them.
 */
export async function rebind(browser: Browser, bench: RebindingBench): Promise<number> {
  const { url, close } = await host(bench);
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: 'reduce' });
  try {
    const page = await context.newPage();
    await page.goto(url);
    await page
      .frameLocator('under-bell iframe')
      .locator('section.bar .marks button')
      .first()
      .waitFor({ state: 'attached' });
    // As text: it runs in the page, where the names that a compiler adds mean nothing.
    const times = await page.evaluate<number[]>(`(async () => {
      const place = document.querySelector('under-bell');
      const shown = () => new Promise((resolve, reject) => {
        place.addEventListener('ready', resolve, { once: true });
        place.addEventListener('problem', ({ detail }) => reject(new Error(detail.message)), { once: true });
      });
      const found = [];
      for (const quay of ${JSON.stringify(bench.quays.slice(1))}) {
        await new Promise((resolve) => setTimeout(resolve, 300));
        const start = performance.now();
        const drawn = shown();
        place.record = { quay };
        await drawn;
        await new Promise((resolve) => requestAnimationFrame(() => requestAnimationFrame(resolve)));
        found.push(performance.now() - start);
      }
      return found;
    })()`);
    return median(times);
  } finally {
    await context.close();
    close();
  }
}
