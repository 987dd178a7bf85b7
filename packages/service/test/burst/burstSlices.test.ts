import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import { cutKey, readBurst, type BurstDefinition, type Cut } from '@underbell/core/burst';
import { casesOf, randomFrom } from '../../../core/test/cases.ts';
import { findPerson } from '../../src/access/index.ts';
import { prepareBurst } from '../../src/burst/index.ts';
import { writeSlices } from '../../src/copies/index.ts';
import { readResults } from '../../src/copies/figureResults.ts';
import { administrator, House, manager, publisher, type DeliveryLog } from '../house.ts';

interface Plan {
  readonly strategy: { readonly kind: string; readonly because: string };
  readonly entries: readonly {
    readonly recipient: string;
    readonly rows: number;
    readonly action: string;
    readonly reason?: string;
    readonly filter: string;
    readonly files: readonly { readonly name: string }[];
  }[];
}

const base: BurstDefinition = {
  format: 'underbell-burst/1',
  name: 'district-pack',
  title: 'District pack',
  report: 'quay-punctuality',
  list: 'leads',
  bind: { quay: 'quays' },
  many: { quays: ';' },
  period: { unit: 'month', parameter: 'month' },
  formats: ['csv'],
  fileName: '{lead}-{period}',
  destination: { kind: 'mail', subject: '{title}', message: 'Hello' },
};

/** Figures that group alike and differently, by days and by months, with sums, others, lines, limits and distinct values. */
function everyKind(): object {
  const at = (i: number) => ({ column: 1, row: 1 + i * 4, width: 12, height: 4 });
  const figures = [
    { kind: 'number', measure: 'late', beside: 'sailings', trend: { along: 'sailed_on', step: 'week' } },
    { kind: 'number', measure: 'vessels', beside: 'last' },
    { kind: 'bar', by: 'route_name', measure: 'late', limit: 2, others: true, lines: [{ label: 'mean', at: 'late' }] },
    { kind: 'bar', by: 'vessel', measure: 'passengers', sort: 'name', limit: 3 },
    { kind: 'bar', by: 'sailed_on', step: 'month', measure: 'fares', split: 'vessel' },
    { kind: 'bar', by: 'cancelled', measure: 'vessels' },
    // By what the copies themselves are told apart.
    { kind: 'bar', by: 'quay_id', measure: 'passengers' },
    { kind: 'table', columns: ['quay_id', 'vessel'], measures: ['fares'], subtotals: ['quay_id'], totals: true },
    { kind: 'line', by: 'sailed_on', measures: ['late', 'passengers'] },
    { kind: 'area', by: 'sailed_on', step: 'week', measures: ['fares'], split: 'route_name' },
    { kind: 'scatter', by: 'vessel', x: 'late', y: 'fares', size: 'passengers' },
    { kind: 'crosstab', rows: ['route_name'], across: 'sailed_on', step: 'week', measure: 'each', totals: true },
    {
      kind: 'table',
      columns: ['route_name', 'vessel', 'cancelled'],
      measures: ['sailings', 'each', 'late', 'last'],
      sort: [{ by: 'each', descending: true }],
      subtotals: ['route_name'],
      totals: true,
      limit: 7,
    },
    { kind: 'table', columns: ['planned_departure', 'vessel', 'passengers'], limit: 5 },
    { kind: 'text', text: '{sailings} sailings, {each} a passenger' },
  ];
  return {
    format: 'underbell-report/1',
    name: 'every-kind',
    title: 'Every kind',
    datasets: { sailings: {} },
    parameters: [
      { name: 'quay', label: 'Quay', type: 'text', key: 'quay', many: true },
      { name: 'month', label: 'Month', type: 'date', column: 'month' },
    ],
    measures: {
      sailings: { label: 'Sailings', expression: 'count()' },
      passengers: { label: 'Passengers', expression: 'sum(passengers)' },
      fares: { label: 'Fares', expression: 'sum(fares)' },
      each: { label: 'Fare a passenger', expression: 'sum(fares) / sum(passengers)' },
      late: { label: 'Mean delay', expression: 'avg(delay_minutes)' },
      vessels: { label: 'Vessels', expression: 'count_distinct(vessel)' },
      last: { label: 'Last vessel', expression: 'max(vessel)' },
    },
    pages: [
      {
        name: 'all',
        title: 'All',
        figures: figures.map((one, i) => ({ name: `f${i}`, title: `F${i}`, at: at(i), ...one })),
      },
    ],
  };
}

const list = [
  'lead,email,quays,route,least,language,zone,wants',
  'north,north@leads.example,Q001; Q002;Q003,R01,100,de,Europe/Athens,',
  'south,south@leads.example,Q002,R02,0,,,pdf',
  'west,west@leads.example,Q004;Q0l7,R01,50,en-GB,,csv pdf',
  '',
].join('\n');

describe('copies of several values', () => {
  let house: House;
  before(async () => {
    house = await House.open({ hasDemo: true });
    const loaded = await load(
      'leads',
      list,
      'id=lead&types=least:integer&language=language&timeZone=zone&format=wants',
    );
    assert.equal(loaded.status, 200, loaded.text);
  });
  after(() => house.close());

  const load = (name: string, text: string, query: string) =>
    house.call('PUT', `/api/v1/lists/${name}?${query}`, { as: publisher, csv: text });
  const saveIt = (change: Partial<BurstDefinition>) =>
    house.call('PUT', '/api/v1/bursts', { as: publisher, body: { ...base, ...change } });
  /** As if the burst had nobody who releases it: its sender could not take them away. */
  async function save(change: Partial<BurstDefinition>) {
    await house.app.records.query(`UPDATE bursts SET definition = definition - 'release'`);
    return saveIt(change);
  }
  async function planned(change: Partial<BurstDefinition>): Promise<Plan> {
    const saved = await save(change);
    assert.equal(saved.status, 200, saved.text);
    const answer = await house.call('GET', '/api/v1/bursts/district-pack/preview?period=2026-10', { as: publisher });
    assert.equal(answer.status, 200, answer.text);
    return answer.body as unknown as Plan;
  }
  const rowsOf = async (where: string) => {
    const { planned } = house.app.lanes;
    const { rows: tables } = await planned.query<{ table_name: string }>(
      "SELECT table_name FROM revisions WHERE dataset_name = 'sailings' ORDER BY id DESC LIMIT 1",
    );
    const text = `SELECT count(*) FROM data."${tables[0]!.table_name}" WHERE month = '2026-10-01' AND ${where}`;
    const { rows } = await planned.query<{ count: string }>(text);
    return Number(rows[0]!.count);
  };

  it('hold all of them together, and a row goes to everybody whose it is', async () => {
    const { strategy, entries } = await planned({});
    assert.equal(strategy.kind, 'one pass');
    const expected = [await rowsOf("quay_id IN ('Q001','Q002','Q003')"), await rowsOf("quay_id = 'Q002'")];
    assert.deepEqual(
      entries.slice(0, 2).map((one) => one.rows),
      expected,
    );
    assert.match(entries[2]!.reason!, /^no rows at any time for “Q0l7” \(did you mean “Q0[01]7”\?\)$/);
    assert.match(entries[0]!.filter, /^quay is one of Q001, Q002, Q003$/);
  });

  it('come one for each value where that is wished', async () => {
    const { entries } = await planned({ each: 'quays', fileName: '{lead}-{quays}-{period}' });
    assert.deepEqual(
      entries.map((one) => one.recipient),
      ['north Q001', 'north Q002', 'north Q003', 'south Q002', 'west Q004', 'west Q0l7'],
    );
    assert.ok(
      entries.every(({ recipient, files }) => files.every((one) => one.name.startsWith(recipient.replace(' ', '-')))),
      'a file is named after its copy',
    );
  });

  it('are cut by conditions on the recipient: in one pass where they compare, by a query each where they do more', async () => {
    const equal = await planned({
      where: { sailings: "route_id = recipient('route') AND cancelled = FALSE" },
    });
    assert.equal(equal.strategy.kind, 'one pass');
    const wanted = await rowsOf("quay_id IN ('Q001','Q002','Q003') AND route_id = 'R01' AND NOT cancelled");
    assert.equal(equal.entries[0]!.rows, wanted);
    const more = await planned({ where: { sailings: "passengers >= recipient('least')" } });
    assert.equal(more.strategy.kind, 'a query each');
    assert.match(more.strategy.because, /“sailings” does more than compare/);
    assert.equal(more.entries[0]!.rows, await rowsOf("quay_id IN ('Q001','Q002','Q003') AND passengers >= 100"));
  });

  it('are the same by both roads, whatever the values', async (t) => {
    const { numRuns, seed } = casesOf(12, 20261124);
    const random = randomFrom(seed);
    const sender = (await findPerson(house.app, { email: publisher }))!;
    const quays = Array.from({ length: 60 }, (_, i) => `Q0${String(i + 1).padStart(2, '0')}`);
    const some = <T>(all: readonly T[], most: number) =>
      Array.from({ length: 1 + Math.floor(random() * most) }, () => all[Math.floor(random() * all.length)]!);
    const body = { definition: everyKind(), notes: '' };
    const published = await house.call('POST', '/api/v1/reports', { as: publisher, body });
    assert.equal(published.status, 201, published.text);
    let compared = 0;
    for (let turn = 0; turn < numRuns; turn++) {
      const definition = readBurst({
        ...base,
        ...(turn % 2 === 0 ? {} : { report: 'every-kind' }),
        ...(random() < 0.5 ? { where: { sailings: "route_id IN (recipient('route')) AND vehicles > 3" } } : {}),
        many: { quays: ';', route: ';' },
        formats: ['csv', 'pdf'],
      });
      const hasRoute = definition.where !== undefined;
      const cuts = new Map<string, Cut>();
      // Many recipients of a quay each are told by their column alone, and in several parts.
      if (turn % 4 === 3)
        for (const quay of quays)
          cuts.set(quay, { fields: { quays: [quay], ...(hasRoute ? { route: ['R01'] } : {}) } });
      else
        for (let i = 0; i < 1 + random() * 8; i++) {
          const route: Record<string, string[]> = hasRoute
            ? { route: [...new Set(some(['R01', 'R02', 'R03', 'R04'], 3))] }
            : {};
          const cut = { fields: { quays: [...new Set(some(quays, 6))], ...route } };
          cuts.set(cutKey(cut), cut);
        }
      const burst = await prepareBurst(house.app, sender, definition, random() < 0.5 ? '2026-10' : '2026-09');
      assert.equal(burst.strategy.kind, 'one pass');
      const slow = { ...burst, strategy: { kind: 'a query each', because: 'to compare' } } as const;
      const all = [...cuts.values()];
      const files = (strategy: string) =>
        all.map((cut, i) => ({ cut, path: join(house.folder, 'roads', `${strategy}-${i}`) }));
      await writeSlices(house.app, burst, files('pass'), 'csv', () => undefined);
      await writeSlices(house.app, slow, files('each'), 'csv', () => undefined);
      const [pass, each] = [await readResults(house.app, burst, all), await readResults(house.app, slow, all)];
      for (const [i, { path }] of files('pass').entries()) {
        assert.equal(readFileSync(path, 'utf8'), readFileSync(files('each')[i]!.path, 'utf8'), JSON.stringify(all[i]));
        assert.deepEqual(pass(i), each(i), JSON.stringify(all[i]));
        compared++;
      }
    }
    t.diagnostic(`${compared} copies, rows and figures; seed ${seed}`);
  });

  it('are drawn in the language and zone of their recipients, in the formats that they want', async () => {
    const saved = await save({ formats: ['csv', 'pdf'], fileName: '{lead}' });
    assert.equal(saved.status, 200, saved.text);
    const from = house.mail.mails.length;
    const started = await house.call('POST', '/api/v1/bursts/district-pack/runs', {
      as: publisher,
      body: { period: '2026-10' },
    });
    assert.equal(started.status, 202, started.text);
    const run = await house.finished((started.body as unknown as { id: number }).id, publisher);
    assert.deepEqual([run.state, run.counts.sent], ['done', 3]);
    const attached = new Map<string, string[]>();
    for (const mail of house.mail.mails.slice(from)) {
      const { attachments } = await house.mail.parse(mail);
      attached.set(mail.to[0]!, attachments.map((one) => one.filename!).sort());
    }
    assert.deepEqual(attached.get('north@leads.example'), ['north.csv', 'north.pdf']);
    assert.deepEqual(attached.get('south@leads.example'), ['south.pdf']);
    const [north] = run.entries as (DeliveryLog['entries'][number] & { filter: string })[];
    assert.match(north!.filter, /Q001/);
  });

  it('are made as their recipients may see them, rules beside the sender’s', async () => {
    const people = `who,email\nquay,${manager}\nnobody,nobody@leads.example\nlead,ines.holt@skerrow.example\n`;
    assert.equal((await load('people', people, 'id=who')).status, 200);
    const { bind: _, many: __, ...rest } = base;
    const saved = await house.call('PUT', '/api/v1/bursts', {
      as: publisher,
      body: { ...rest, name: 'own-view', list: 'people', asSeenBy: 'recipient', fileName: '{who}' },
    });
    assert.equal(saved.status, 200, saved.text);
    const path = '/api/v1/bursts/own-view/preview?period=2026-10';
    const plan = (await house.call('GET', path, { as: publisher })).body as unknown as Plan;
    assert.equal(plan.strategy.kind, 'a query each');
    const [own, nobody] = plan.entries;
    assert.equal(own!.rows, await rowsOf("quay_id = 'Q017'"));
    assert.match(nobody!.reason!, /there is no user/);
    const sample = await house.call('GET', '/api/v1/bursts/own-view/sample?recipient=quay&period=2026-10', {
      as: publisher,
    });
    const quays = new Set(
      sample.text
        .trim()
        .split('\r\n')
        .slice(1)
        .map((line) => line.split(',')[0]),
    );
    assert.deepEqual([...quays], ['Q017']);
  });

  it('open with a password of their recipient’s own, which nobody reads in the records or the plan', async () => {
    const text =
      'lead,email,quays,secret\nnorth,north@leads.example,Q001,grey-gannet-9\nsouth,s@leads.example,Q002,short\n';
    assert.equal((await load('locked', text, 'id=lead')).status, 200);
    const saved = await save({ name: 'locked', list: 'locked', formats: ['pdf'], pdf: { passwordColumn: 'secret' } });
    assert.equal(saved.status, 200, saved.text);
    const plan = await house.call('GET', '/api/v1/bursts/locked/preview?period=2026-10', { as: publisher });
    assert.match(plan.text, /Column “secret” has no password of at least 8 characters/);
    assert.ok(!plan.text.includes('grey-gannet-9'), 'the plan does not say it');
    const started = await house.call('POST', '/api/v1/bursts/locked/runs', {
      as: publisher,
      body: { period: '2026-10' },
    });
    const { id } = started.body as unknown as { id: number };
    assert.equal((await house.finished(id, publisher)).counts.sent, 1);
    const letter = house.mail.mails.findLast((one) => one.to.includes('north@leads.example'))!;
    const [pdf] = (await house.mail.parse(letter)).attachments;
    assert.match(pdf!.content.toString('latin1'), /\/Encrypt/);
    const kept = await house.app.lanes.planned.query("SELECT cut::text FROM deliveries WHERE burst_name = 'locked'");
    assert.ok(!JSON.stringify(kept.rows).includes('grey-gannet-9'), 'the records do not say it');
    const mixed = await save({
      name: 'locked',
      list: 'locked',
      formats: ['pdf', 'csv'],
      pdf: { passwordColumn: 'secret' },
    });
    assert.equal(mixed.body.pointer, '/formats');
  });

  it('wait for a second person where the burst says so', async () => {
    const saved = await save({ release: [administrator, publisher], fileName: '{lead}-{period}' });
    assert.equal(saved.status, 200, saved.text);
    const from = house.mail.mails.length;
    const started = await house.call('POST', '/api/v1/bursts/district-pack/runs', {
      as: publisher,
      body: { period: '2026-09' },
    });
    const { id, state } = started.body as unknown as { id: number; state: string };
    assert.equal(state, 'held', started.text);
    const release = (as: string) => house.call('POST', `/api/v1/runs/${id}/approve`, { as });
    assert.equal((await release(publisher)).body.code, 'NOT_ALLOWED');
    assert.equal((await release(manager)).body.code, 'NOT_FOUND');
    const released = await release(administrator);
    assert.equal(released.status, 202, released.text);
    const run = (await house.finished(id, publisher)) as DeliveryLog & { releasedBy: string };
    assert.deepEqual([run.state, run.releasedBy], ['done', administrator]);
    assert.equal((await release(administrator)).body.code, 'INPUT_INVALID');
    // Whoever sends cannot do without the second person by changing the burst.
    for (const change of [{}, { release: [publisher] }, { release: [manager, publisher] }])
      assert.equal((await saveIt({ ...change, fileName: '{lead}-{period}' })).body.code, 'NOT_ALLOWED');
    assert.equal(
      (await saveIt({ release: [publisher, administrator], fileName: '{lead}-{period}' })).status < 300,
      true,
    );
    const asked = house.mail.mails.slice(from).filter((one) => one.to.includes(administrator));
    assert.equal(asked.length, 1);
    const next = await house.call('POST', '/api/v1/bursts/district-pack/runs', {
      as: publisher,
      body: { period: '2026-08' },
    });
    const held = (next.body as unknown as { id: number }).id;
    assert.equal((await house.call('POST', `/api/v1/runs/${held}/cancel`, { as: publisher })).status, 202);
    assert.equal((await house.finished(held, publisher)).state, 'stopped');
  });

  it('refuse what does not fit, at its place', async () => {
    const cases: [Partial<BurstDefinition>, string][] = [
      [{ bind: undefined, many: undefined }, '/bind'],
      [{ each: 'route' }, '/each'],
      [{ many: { quayz: ';' } }, '/many/quayz'],
      [{ where: { sailings: "route_id = recipient('rout')" } }, '/where/sailings'],
      [{ where: { sailing: "route_id = recipient('route')" } }, '/where/sailing'],
      [{ release: ['nobody@skerrow.example'] }, '/release'],
    ];
    for (const [change, pointer] of cases) {
      const answer = await save(change);
      assert.equal(answer.status, 400, JSON.stringify(change));
      assert.deepEqual([answer.body.code, answer.body.pointer], ['BURST_INVALID', pointer], answer.text);
    }
    const typed = await load('leads', list.replace(',100,', ',many,'), 'id=lead&types=least:integer');
    assert.equal(typed.body.code, 'LIST_INVALID');
    assert.match(typed.text, /“many” is not a whole number/);
    const odd = await load(
      'leads',
      list.replace('Europe/Athens', 'Europe/Atlantis'),
      'id=lead&timeZone=zone&format=lead',
    );
    assert.match(odd.text, /is not a time zone/);
    assert.match(odd.text, /“north” is not a/);
  });
});
