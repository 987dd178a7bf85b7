// A host page in plain Node.js: each visitor sees a report cut to their own quay.
//
//   UNDERBELL_URL=http://127.0.0.1:7300 CLIENT_ID=my-host CLIENT_SECRET=… PORT=7390 node docs/examples/host.mjs
//
// then open http://127.0.0.1:7390/?visitor=Q017
import { createServer } from 'node:http';

const { UNDERBELL_URL = 'http://127.0.0.1:7300', CLIENT_ID, CLIENT_SECRET, PORT = '7390' } = process.env;
const placement = process.env.PLACEMENT ?? 'quay-page';

/** Asks for a token with exactly what this visitor may see. Your own session decides who the visitor is, never the page. */
async function tokenFor(quay) {
  const answer = await fetch(`${UNDERBELL_URL}/oauth/token`, {
    method: 'POST',
    headers: { Authorization: `Basic ${Buffer.from(`${CLIENT_ID}:${CLIENT_SECRET}`).toString('base64')}` },
    body: new URLSearchParams({
      grant_type: 'client_credentials',
      authorization_details: JSON.stringify([
        {
          type: 'report_view',
          placement,
          actions: ['view'],
          // CQL2 as JSON: no quotes to get wrong, so nothing that a visitor is called can reach out of its value.
          where: { sailings: { op: '=', args: [{ property: 'quay_id' }, quay] } },
        },
      ]),
    }),
  });
  const said = await answer.json();
  if (!answer.ok) throw new Error(`${said.error}: ${said.error_description}`);
  return { access_token: said.access_token, expires_in: said.expires_in };
}

const page = (quay) => `<!doctype html>
<html lang="en"><meta charset="utf-8"><title>Our host</title>
<h1>Our host</h1>
<script type="module" src="${UNDERBELL_URL}/element.js"></script>
<under-bell src="${UNDERBELL_URL}/v/${placement}" token-url="/report-token?visitor=${encodeURIComponent(quay)}" title="Report"></under-bell>`;

createServer(async (request, response) => {
  const url = new URL(request.url, 'http://host');
  const quay = url.searchParams.get('visitor') ?? 'Q017';
  try {
    if (url.pathname === '/report-token') {
      const token = await tokenFor(quay);
      response.writeHead(200, { 'Content-Type': 'application/json', 'Cache-Control': 'no-store' });
      response.end(JSON.stringify(token));
    } else {
      response.writeHead(200, { 'Content-Type': 'text/html; charset=utf-8' });
      response.end(page(quay));
    }
  } catch (error) {
    response.writeHead(502, { 'Content-Type': 'application/json' });
    response.end(JSON.stringify({ message: error.message }));
  }
}).listen(Number(PORT), '127.0.0.1', () =>
  process.stdout.write(`http://127.0.0.1:${PORT}/?visitor=Q017\n`),
);
