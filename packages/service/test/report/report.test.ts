import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { Ajv2020 } from 'ajv/dist/2020.js';
import { House, manager, publisher } from '../house.ts';

describe('reports and the API around them', () => {
  let house: House;
  let definition: { name: string; pages: { figures: { title: string }[] }[] } & Record<string, unknown>;
  before(async () => {
    house = await House.open({ hasDemo: true });
    definition = (
      (await house.call('GET', '/api/v1/reports/quay-punctuality', { as: publisher })).body as unknown as {
        definition: typeof definition;
      }
    ).definition;
  });
  after(() => house.close());
  const publish = (change: object, as = publisher) =>
    house.call('POST', '/api/v1/reports', { as, body: { definition: { ...definition, ...change }, notes: 'next' } });

  it('makes the next edition under the same name, and every place follows', async () => {
    const { status, body } = await publish({ title: 'Quay punctuality, new' });
    assert.deepEqual([status, (body as unknown as { edition: number }).edition], [201, 2]);
    const shown = await house.call('GET', '/api/v1/placements/quay-page/view', { as: manager });
    assert.equal((shown.body as unknown as { report: { edition: number } }).report.edition, 2);
    const { editions } = (await house.call('GET', '/api/v1/reports/quay-punctuality', { as: publisher }))
      .body as unknown as { editions: { number: number }[] };
    assert.deepEqual(
      editions.map((one) => one.number),
      [2, 1],
    );
  });

  it('refuses a wrong definition with every pointer and publishes nothing', async () => {
    const { status, body } = await publish({ where: "quay_ID = 'x'", measures: {} });
    assert.deepEqual([status, body.code], [400, 'REPORT_INVALID']);
    assert.ok(body.problems!.some((one) => one.at === '/where' && one.hint?.startsWith('Did you mean “quay_id”?')));
    assert.ok(body.problems!.some((one) => one.at === '/pages/0/figures/0/measure'));
    const check = await house.call('POST', '/api/v1/reports/check', { as: publisher, body: definition });
    assert.deepEqual(check.body, { name: 'quay-punctuality', pages: 1, figures: 7 });
  });

  it('lets only editors publish', async () => {
    assert.ok(['REPORT_INVALID', 'NOT_ALLOWED'].includes(String((await publish({}, manager)).body.code)));
  });

  it("answers a reader of a whole report with that reader's rows", async () => {
    const { body } = await house.call('GET', '/api/v1/reports/quay-punctuality/view?page=overview', { as: manager });
    const quays = (body as unknown as { datasets: { limits: { words: string }[] }[] }).datasets[0]!.limits.map(
      (one) => one.words,
    );
    assert.deepEqual(quays, ['quay is Q017']);
  });

  it('publishes every format as JSON Schema with its address, and describes every map in its API', async () => {
    for (const kind of ['report', 'board', 'burst']) {
      const address = `/schemas/underbell-${kind}-1.json`;
      const schema = (await house.call('GET', address)).body as unknown as Record<string, unknown>;
      assert.equal(schema['$schema'], 'https://json-schema.org/draft/2020-12/schema');
      assert.equal(new URL(schema['$id'] as string).pathname, address);
      new Ajv2020({ validateFormats: false }).compile(schema);
    }
    const { text } = await house.call('GET', '/openapi.json');
    const api = JSON.parse(text) as unknown;
    const emptied: string[] = [];
    const walk = (value: unknown, at: string): void => {
      if (value === null || typeof value !== 'object') return;
      const one = value as Record<string, unknown>;
      // An object of which nothing is said, neither what it holds nor what it is for, is a map that got lost.
      const says = ['properties', 'additionalProperties', 'patternProperties', 'description', '$ref'];
      if (
        one['type'] === 'object' &&
        at.includes('/schema') &&
        !at.includes('/responses/') &&
        !says.some((name) => name in one)
      )
        emptied.push(at);
      for (const [name, below] of Object.entries(one)) walk(below, `${at}/${name}`);
    };
    walk(api, '');
    assert.deepEqual(emptied, []);
  });

  it('describes every route in OpenAPI 3.1, from the schemas that validate', async () => {
    const { body } = await house.call('GET', '/openapi.json');
    const api = body as unknown as {
      openapi: string;
      paths: Record<
        string,
        Record<
          string,
          { responses: object; requestBody?: { content: Record<string, { schema: { properties?: object } }> } }
        >
      >;
    };
    assert.equal(api.openapi, '3.1.0');
    assert.ok(Object.keys(api.paths).length > 25);
    const token =
      api.paths['/oauth/token']!['post']!.requestBody!.content['application/x-www-form-urlencoded']!.schema.properties!;
    assert.ok('authorization_details' in token);
    for (const operations of Object.values(api.paths))
      for (const one of Object.values(operations)) assert.ok('4XX' in one.responses);
  });

  it('publishes the JSON Schema of the report format', async () => {
    const { body } = await house.call('GET', '/schemas/underbell-report-1.json');
    assert.ok('pages' in (body as unknown as { properties: object }).properties);
  });

  it('answers every mistake with a problem document', async () => {
    for (const [method, path, options, status, code] of [
      ['GET', '/api/v1/nothing', {}, 404, 'NOT_FOUND'],
      ['GET', '/api/v1/reports/NO', { as: publisher }, 400, 'INPUT_INVALID'],
      ['GET', '/api/v1/reports/no', { as: publisher }, 404, 'NOT_FOUND'],
      ['POST', '/api/v1/reports', { as: publisher, body: { definitio: 1 } }, 400, 'INPUT_INVALID'],
      [
        'POST',
        '/api/v1/session',
        { headers: { 'Content-Type': 'application/json' }, body: undefined },
        400,
        'INPUT_INVALID',
      ],
      ['GET', '/api/v1/runs/999', { as: publisher }, 404, 'NOT_FOUND'],
      ['GET', '/api/v1/runs/x', { as: publisher }, 400, 'INPUT_INVALID'],
    ] as const) {
      const answer = await house.call(method, path, options);
      assert.deepEqual([answer.status, answer.body.code], [status, code], `${method} ${path}: ${answer.text}`);
      assert.match(answer.headers.get('content-type')!, /problem\+json/);
    }
  });

  it('says how it is', async () => {
    assert.equal((await house.call('GET', '/health/live')).status, 200);
    assert.equal((await house.call('GET', '/health/ready')).status, 200);
  });
});
