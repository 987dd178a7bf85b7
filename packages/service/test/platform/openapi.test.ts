import assert from 'node:assert/strict';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { createConfig, lintFromString } from '@redocly/openapi-core';
import { demoPassword, demoPeople } from '@underbell/demo';
import openapiTS, { astToString, type OpenAPI3 } from 'openapi-typescript';
import ts from 'typescript';
import { House } from '../house.ts';

/** What a developer writes against the generated types: every name in it is checked by the compiler. */
const client = `
import createClient from 'openapi-fetch';
import type { paths } from './api.d.ts';

export async function tour(baseUrl: string, email: string, password: string) {
  const anyone = createClient<paths>({ baseUrl });
  const session = await anyone.POST('/api/v1/session', { body: { email, password, kind: 'command line' } });
  const { key } = session.data as { key: string };
  const client = createClient<paths>({ baseUrl, headers: { Authorization: \`Bearer \${key}\` } });
  const reports = await client.GET('/api/v1/reports');
  const saved = await client.PUT('/api/v1/groups/{name}', {
    params: { path: { name: 'Generated' } },
    body: { members: [], owners: [] },
  });
  const members = await client.POST('/api/v1/groups/{name}/members', {
    params: { path: { name: 'Generated' } },
    body: { add: [email] },
  });
  const rows = await client.GET('/api/v1/datasets/{name}/rows', {
    params: { path: { name: 'sailings' }, query: { format: 'csv', where: "quay_id = 'Q001'" } },
    parseAs: 'text',
  });
  const text: string | undefined = rows.data;
  const wrong = await client.GET('/api/v1/reports/{name}', { params: { path: { name: 'none' } } });
  const code: string | undefined = wrong.error?.code;
  return {
    statuses: [reports, saved, members, rows, wrong].map((one) => one.response.status),
    members: members.data,
    head: text?.split('\\r\\n')[0],
    code,
  };
}
`;
/** The same with a name that there is not: the types must refuse it. */
const wrong = `
import createClient from 'openapi-fetch';
import type { paths } from './api.d.ts';
const client = createClient<paths>({ baseUrl: '' });
export const asked = client.PUT('/api/v1/groups/{name}', {
  params: { path: { name: 'x' } },
  body: { membres: [] },
});
`;

function mistakesIn(path: string): string[] {
  const program = ts.createProgram([path], {
    strict: true,
    noEmit: true,
    target: ts.ScriptTarget.ES2022,
    module: ts.ModuleKind.NodeNext,
    moduleResolution: ts.ModuleResolutionKind.NodeNext,
    allowImportingTsExtensions: true,
    types: [],
    lib: ['lib.es2023.d.ts', 'lib.dom.d.ts', 'lib.dom.iterable.d.ts'],
  });
  return ts.getPreEmitDiagnostics(program).map((one) => ts.flattenDiagnosticMessageText(one.messageText, '\n'));
}

describe('the description of the API', () => {
  let house: House;
  let text = '';
  const folder = mkdtempSync(join(fileURLToPath(new URL('../../dist/', import.meta.url)), 'client-'));
  const file = (name: string, content: string) => {
    const path = join(folder, name);
    writeFileSync(path, content);
    return path;
  };
  before(async () => {
    house = await House.open({ hasDemo: true });
    text = (await house.call('GET', '/openapi.json')).text;
    file('package.json', '{ "type": "module" }');
    file('api.d.ts', astToString(await openapiTS(JSON.parse(text) as OpenAPI3)));
  });
  after(async () => {
    await house.close();
    rmSync(folder, { recursive: true, force: true });
  });

  it('passes a linter with nothing to remark', async () => {
    const config = await createConfig({ extends: ['recommended'] });
    const problems = await lintFromString({ source: text, absoluteRef: 'openapi.json', config });
    assert.deepEqual(
      problems.map((one) => `${one.ruleId} ${one.location[0]?.pointer}: ${one.message}`),
      [],
    );
  });

  it('says of files which they are, and of nothing that comes back that it is JSON', () => {
    const { paths } = JSON.parse(text) as {
      paths: Record<string, Record<string, { operationId: string; responses: Record<string, { content?: object }> }>>;
    };
    const operations = Object.values(paths).flatMap((one) => Object.values(one));
    const ids = operations.map((one) => one.operationId);
    assert.equal(new Set(ids).size, ids.length);
    assert.ok(ids.includes('postGroupsByNameMembers') && ids.includes('getActiveAccess'), ids.slice(0, 20).join());
    const types = (path: string, method: string, status = '200') =>
      Object.keys(paths[path]![method]!.responses[status]!.content ?? {});
    assert.deepEqual(types('/api/v1/datasets/{name}/rows', 'get'), ['text/csv', 'application/x-ndjson']);
    assert.ok(types('/api/v1/bursts/{name}/sample', 'get').includes('application/pdf'));
    assert.deepEqual(types('/api/v1/groups/{name}', 'put', '204'), []);
    assert.ok(!text.includes('application/octet-stream'), 'no file without a type');
  });

  it('gives a usual generator a client that compiles and works', async () => {
    const path = file('client.ts', client);
    assert.deepEqual(mistakesIn(path), []);
    assert.match(mistakesIn(file('wrong.ts', wrong)).join('\n'), /membres/);
    const options = { module: ts.ModuleKind.ESNext, target: ts.ScriptTarget.ES2022 };
    const made = file('client.mjs', ts.transpile(client, options));
    const { tour } = (await import(pathToFileURL(made).href)) as {
      tour: (url: string, email: string, password: string) => Promise<Record<string, unknown>>;
    };
    const { email } = demoPeople.administrator;
    const found = await tour(house.url, email, demoPassword);
    assert.deepEqual(found['statuses'], [200, 204, 200, 200, 404]);
    assert.deepEqual((found['members'] as { members: string[] }).members, [email]);
    assert.match(String(found['head']), /quay_id/);
    assert.equal(found['code'], 'NOT_FOUND');
  });
});
