import Router from '@koa/router';
import Koa, { type Context } from 'koa';
import { escapeHtml, page } from '../html.ts';
import { PageEditor } from './editor.ts';

interface PortalQuay {
  readonly id: string;
  readonly name: string;
  readonly district: string;
  readonly isClosed: boolean;
}

/** What the portal's owner was given. */
export interface PortalSetup {
  readonly clientId: string;
  readonly clientSecret: string;
  readonly placement: string;
  readonly report: string;
  /** A placement for everybody who signs in. */
  readonly network?: string;
  readonly quays: readonly PortalQuay[];
}

const accent = '#2f4a3a';
const header = '<header><b>Harbour portal</b><a href="/">All quays</a></header>';

function quayList(setup: PortalSetup, pages: string): string {
  const districts = [...new Set(setup.quays.map((quay) => quay.district))];
  const blocks = districts.map((district) => {
    const items = setup.quays
      .filter((quay) => quay.district === district)
      .map(
        (quay) =>
          `<li><a href="/quay/${quay.id}">${escapeHtml(quay.name)}</a> <span class="quiet">${quay.id}${quay.isClosed ? ', closed for the winter' : ''}</span></li>`,
      );
    return `<h2>${escapeHtml(district)}</h2><ul class="quays">${items.join('')}</ul>`;
  });
  return page('Harbour portal', `${header}<main>${pages}<h1>Quays</h1>${blocks.join('')}</main>`, accent);
}

function quayPage(setup: PortalSetup, quay: PortalQuay, underBellUrl: string): string {
  const body = `${header}<main><h1>${escapeHtml(quay.name)}</h1>
<p class="quiet">${escapeHtml(quay.district)} · berth plan · tide table · contacts</p>
<script type="module" src="${underBellUrl}/element.js"></script>
<under-bell src="${underBellUrl}/v/${setup.placement}" token-url="/report-token?quay=${quay.id}" title="Quay punctuality"></under-bell>
</main>`;
  return page(quay.name, body, accent);
}

/** CQL2 text: a quote inside a text is doubled. */
const cql2Text = (value: string) => `'${value.replaceAll("'", "''")}'`;

/** The portal's own server asks for a token that shows one quay and no more. */
async function askForToken(
  setup: PortalSetup,
  quay: PortalQuay,
  underBellUrl: string,
): Promise<{ status: number; body: unknown }> {
  const details = [
    {
      type: 'report_view',
      report: setup.report,
      actions: ['view'],
      where: { sailings: `quay_id = ${cql2Text(quay.id)}` },
    },
  ];
  const answer = await fetch(`${underBellUrl}/oauth/token`, {
    method: 'POST',
    headers: { Authorization: `Basic ${Buffer.from(`${setup.clientId}:${setup.clientSecret}`).toString('base64')}` },
    body: new URLSearchParams({ grant_type: 'client_credentials', authorization_details: JSON.stringify(details) }),
  });
  const body = (await answer.json()) as { access_token?: string; expires_in?: number };
  return { status: answer.status, body };
}

/** A small intranet with a page for each quay, on which the report is shown cut to that quay. */
export function createPortal(setup: PortalSetup, underBellUrl: string): Koa {
  const koa = new Koa();
  const router = new Router();
  const find = (id: unknown) => setup.quays.find((quay) => quay.id === id);
  const { network } = setup;
  const start = [
    {
      slug: 'network',
      title: 'The network today',
      text: `How punctual the ferries are, for everybody who signs in.\n\n${network === undefined ? '' : `${underBellUrl}/v/${network}`}`,
    },
    { slug: 'notices', title: 'Notices', text: 'What everybody may know. Paste a public link on a line of its own.' },
  ];
  const editor = new PageEditor([new URL(underBellUrl).origin], start, accent, header);
  router.get('/', (ctx: Context) => {
    ctx.body = quayList(setup, editor.list());
  });
  router.get('/quay/:id', (ctx: Context & { params: Record<string, string> }) => {
    const quay = find(ctx.params['id']);
    if (quay) ctx.body = quayPage(setup, quay, underBellUrl);
  });
  router.get('/report-token', async (ctx: Context) => {
    const quay = find(ctx.query['quay']);
    if (!quay) return;
    const { status, body } = await askForToken(setup, quay, underBellUrl);
    ctx.set('Cache-Control', 'no-store');
    ctx.status = status === 200 ? 200 : 502;
    ctx.body = body;
  });
  koa.use(router.routes());
  koa.use(editor.routes());
  return koa;
}
