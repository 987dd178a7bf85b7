import type { RecordField } from '../access/index.ts';

/** What a host pastes for the report of a record: four lines of different trust, all of them for the same placement. */
export interface Snippets {
  /** A page with the element; its own server hands out tokens. */
  readonly element: string;
  /** A frame alone: whoever looks signs in, silently where the directory knows the browser. */
  readonly frame: string;
  /** The host's server, in Node without any package. */
  readonly node: string;
  /** The same question for a token, by curl. */
  readonly curl: string;
  /** The same for whoever signed in to the host with the common directory (RFC 8693): nobody is named by the host. */
  readonly exchange: string;
}

/** What the lines are made of. */
export interface LinesFor {
  readonly publicUrl: string;
  readonly name: string;
  /** Escaped for HTML. */
  readonly title: string;
  readonly fields: readonly Pick<RecordField, 'name'>[];
  readonly height: number;
}

const indented = (lines: readonly string[], by: number) => lines.map((one) => `${' '.repeat(by)}${one}`).join('\n');
/** In single quotes of a POSIX shell. */
const shell = (text: string) => `'${text.replaceAll("'", "'\\''")}'`;

/** Where a host puts a field's value, as a word that no shell and no address takes apart. */
const standFor = (name: string) => `RECORD_${name.toUpperCase().replace(/[^A-Z0-9]/g, '_')}`;

function node({ publicUrl, name, fields }: LinesFor): string {
  return [
    "import { createServer } from 'node:http';",
    '',
    `const underBell = ${JSON.stringify(publicUrl)};`,
    `const fields = ${JSON.stringify(fields.map((one) => one.name))};`,
    'const { CLIENT_ID, CLIENT_SECRET, PORT = 3000 } = process.env;',
    '',
    '// GET /report-token?FIELD=VALUE. Look first whether whoever is signed in may see that record: this is the place for it.',
    'createServer(async (request, response) => {',
    "  const asked = new URL(request.url, 'http://host').searchParams;",
    "  const context = Object.fromEntries(fields.map((name) => [name, asked.get(name) ?? '']));",
    `  const details = [{ type: 'report_view', placement: ${JSON.stringify(name)}, actions: ['view'], context }];`,
    '  const answer = await fetch(`${underBell}/oauth/token`, {',
    "    method: 'POST',",
    '    headers: {',
    "      Authorization: `Basic ${Buffer.from(`${CLIENT_ID}:${CLIENT_SECRET}`).toString('base64')}`,",
    '    },',
    '    body: new URLSearchParams({',
    "      grant_type: 'client_credentials',",
    '      authorization_details: JSON.stringify(details),',
    '    }),',
    '  });',
    "  response.writeHead(answer.status, { 'Content-Type': 'application/json', 'Cache-Control': 'no-store' });",
    '  response.end(await answer.text());',
    "}).listen(PORT, '127.0.0.1');",
  ].join('\n');
}

/** JSON with the values of a record, each from a variable of the shell. */
function asked({ name, fields }: LinesFor): string {
  // A quote in a name ends the shell's own text, and begins it again.
  const nameIn = (text: string) => JSON.stringify(text).replaceAll("'", "'\\''");
  const context = fields.map((one) => `${nameIn(one.name)}:"'"$${standFor(one.name)}"'"`).join(',');
  return `'[{"type":"report_view","placement":${JSON.stringify(name)},"actions":["view"],"context":{${context}}}]'`;
}

function curl(one: LinesFor, more: readonly string[]): string {
  return [
    `curl --silent --user "$CLIENT_ID:$CLIENT_SECRET" ${shell(`${one.publicUrl}/oauth/token`)} \\`,
    indented([...more.map((line) => `${line} \\`), `--data-urlencode authorization_details=${asked(one)}`], 2),
  ].join('\n');
}

/** What a host pastes to show a placement beside its records. */
export function hostLines(one: LinesFor): Snippets {
  const { publicUrl, name, title, fields, height } = one;
  // Within a page, nothing in a name may end the script.
  const record = JSON.stringify(Object.fromEntries(fields.map((field) => [field.name, '…']))).replaceAll(
    '<',
    '\\u003c',
  );
  const words = fields.map((field) => `record=${encodeURIComponent(field.name)}:VALUE`).join('&amp;');
  return {
    element: [
      `<script type="module" src="${publicUrl}/element.js"></script>`,
      `<under-bell src="${publicUrl}/v/${name}" token-url="/report-token" title="${title}"></under-bell>`,
      '<script type="module">',
      '  // Another record is one line: page, size and what the reader picked stay.',
      `  document.querySelector('under-bell').record = ${record};`,
      '</script>',
    ].join('\n'),
    frame: `<iframe src="${publicUrl}/v/${name}${words === '' ? '' : `?${words}`}" title="${title}" width="100%" height="${height}" loading="lazy" referrerpolicy="strict-origin" allow="clipboard-write; fullscreen" style="border:0"></iframe>`,
    node: node(one),
    curl: curl(one, ['--data grant_type=client_credentials']),
    exchange: curl(one, [
      '--data grant_type=urn:ietf:params:oauth:grant-type:token-exchange',
      '--data subject_token_type=urn:ietf:params:oauth:token-type:id_token',
      '--data-urlencode "subject_token=$ID_TOKEN"',
    ]),
  };
}
