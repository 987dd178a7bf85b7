import assert from 'node:assert/strict';
import { execFileSync } from 'node:child_process';
import { after, before, describe, it } from 'node:test';
import type { Mask, RowRule } from '@underbell/core/access';
import { addGroup, addPerson, putGrant, putMask, putRule, setMembers } from '../../src/access/index.ts';
import { hashPassword } from '../../src/platform/index.ts';
import { casesOf, randomFrom } from '../../../core/test/cases.ts';
import { House, type Answer } from '../house.ts';
import {
  type Row,
  type Person,
  type PlainReader,
  quays,
  groups,
  rules,
  tokens,
  narrowings,
  readers,
  placements,
  report,
  type World,
  type Expected,
  expected,
  assertNoMarks,
  isGuarding,
  type PlainCondition,
} from '../plainOracle.ts';

const { numRuns: worlds, seed } = casesOf(8, 4_711);
const password = 'brass lantern over the quay';

describe('every way out, against a plain oracle', () => {
  let house: House;
  const owner = 'owner@skerrow.example';
  const random = randomFrom(seed);
  const pick = <T>(all: readonly T[]): T => all[Math.floor(random() * all.length)]!;
  const some = <T>(all: readonly T[]): T[] => all.filter(() => random() < 0.5);
  const counts = { views: 0, rows: 0, refused: 0, exports: 0, values: 0, sees: 0, tokens: 0, unchanged: 0, copies: 0 };

  before(async () => {
    house = await House.open();
    const { app } = house;
    const passwordHash = await hashPassword(password);
    await app.records.transaction(async () => {
      await addPerson(app, { email: owner, name: 'Owner', passwordHash, isAdministrator: true });
      for (const name of groups) await addGroup(app, { name });
      for (let i = 0; i < 4; i++)
        await addPerson(app, {
          email: `p${i}@skerrow.example`,
          name: `P${i}`,
          passwordHash,
          attributes: { quay: ['Q1'] },
        });
      for (const kind of ['report', 'dataset'] as const)
        await putGrant(app, { holder: { kind: 'everyone' }, thing: { kind, name: 'ledger' }, level: 'export' });
    });
    for (const email of [owner, 'p0@skerrow.example', 'p1@skerrow.example', 'p2@skerrow.example', 'p3@skerrow.example'])
      await house.keyOf(email, password);
    const rows = makeRows();
    await upload(rows);
    for (const [method, path, body] of [['POST', '/api/v1/reports', { definition: report, notes: '' }]] as const) {
      const answer = await house.call(method, path, { as: owner, body });
      assert.equal(answer.status < 300, true, answer.text);
    }
  });
  after(() => house.close());

  function makeRows(): Row[] {
    return Array.from({ length: 40 }, (_, i) => {
      const quay = pick(quays);
      const district = quay < 'Q3' ? 'North' : 'South';
      return { quay, district, who: `mark-${100 + i}`, amount: Math.floor(random() * 100), open: random() < 0.7 };
    });
  }

  async function upload(rows: readonly Row[]): Promise<void> {
    const csv = [
      'quay,district,who,amount,open',
      ...rows.map((row) => [row.quay, row.district, row.who, row.amount, row.open].join(',')),
    ].join('\n');
    const answer = await house.call('PUT', '/api/v1/datasets/ledger/file?key=quay=quay', { as: owner, csv });
    assert.equal(answer.status, 200, answer.text);
  }

  async function makeWorld(): Promise<World> {
    const { app } = house;
    const rows = makeRows();
    await upload(rows);
    const people = Array.from({ length: 4 }, (_, i): Person => ({
      email: `p${i}@skerrow.example`,
      groups: some(groups),
      quays: some(quays).slice(0, 2),
    }));
    const made = Array.from({ length: Math.floor(random() * 4) }, (_, i) => {
      const plain = pick(rules);
      const appliesTo = pick<RowRule['appliesTo']>([
        { kind: 'everyone' },
        { kind: 'group', name: 'Leads' },
        { kind: 'group', name: 'Crew' },
        { kind: 'person', name: 'p1@skerrow.example' },
      ]);
      return { rule: { name: `rule-${i}`, dataset: 'ledger', appliesTo, where: plain.where }, plain };
    });
    const masks = Array.from({ length: Math.floor(random() * 3) }, (_, i): Mask => ({
      name: `mask-${i}`,
      dataset: 'ledger',
      appliesTo: pick<Mask['appliesTo']>([
        { kind: 'everyone' },
        { kind: 'group', name: 'Crew' },
        { kind: 'person', name: 'p0@skerrow.example' },
        { kind: 'place', name: 'portal' },
      ]),
      except: random() < 0.3 ? ['Leads'] : [],
      effect: pick<Mask['effect']>([
        { kind: 'hide', column: 'who' },
        { kind: 'hide', column: 'quay' },
        { kind: 'coarsen', column: 'amount', by: { to: 'band', width: 25 } },
        { kind: 'coarsen', column: 'quay', by: { to: 'column', column: 'district' } },
        { kind: 'small groups', rows: 4 },
      ]),
    }));
    const ids = new Map<string, string>();
    const { findPersonRow, changePerson } = await import('../../src/access/index.ts');
    await app.records.transaction(async () => {
      await app.records.query('DELETE FROM row_rules');
      await app.records.query('DELETE FROM masks');
      for (const person of people) {
        const row = (await findPersonRow(app, { email: person.email }))!;
        ids.set(person.email, row.id);
        await changePerson(app, row.id, { attributes: person.quays.length > 0 ? { quay: [...person.quays] } : {} });
      }
      for (const name of groups) {
        const members = people
          .filter((one) => one.groups.includes(name))
          .map((one) => ({ personId: ids.get(one.email)!, isOwner: false, isMember: true }));
        await setMembers(app, name, members);
      }
      for (const { rule } of made) await putRule(app, rule);
      for (const mask of masks) await putMask(app, mask);
    });
    const placement = pick(placements);
    const saved = await house.call('PUT', '/api/v1/placements/ledger', {
      as: owner,
      body: { kind: 'portal', title: 'Ledger', report: 'ledger', where: placement.where },
    });
    assert.equal(saved.status, 200, saved.text);
    return { rows, people, rules: made, masks, placement };
  }

  type Result = { rows: (string | number | null)[][]; refused?: { code: string } };
  const sorted = (rows: readonly (readonly unknown[])[]) => rows.map((row) => JSON.stringify(row)).sort();

  function assertView(answer: Answer, want: Expected, reader: PlainReader, what: string): void {
    counts.views++;
    if (!want.isHiddenAsked && reader.reads.some((column) => want.hidden.has(column))) {
      counts.refused++;
      assert.equal(answer.body.code, 'FILTER_UNKNOWN_COLUMN', `${what}: ${answer.text}`);
      // The reader's own words come back in the error; nothing else does.
      assert.ok(
        [...answer.text.matchAll(/mark-\d{3}/g)].every(([mark]) => reader.where!.includes(mark)),
        what,
      );
      return;
    }
    assert.equal(answer.status, 200, `${what}: ${answer.text}`);
    assertNoMarks(answer.text, want, what, reader.where);
    const results = (answer.body as unknown as { results: Record<string, Result> }).results;
    const { shown, hidden, minRows, isAsked, isHiddenAsked } = want;
    // Where only groups are shown, nothing that somebody asks is answered, whatever the rows are.
    if (isHiddenAsked || (minRows > 1 && (reader.where !== undefined || isAsked))) {
      counts.refused++;
      for (const one of Object.values(results))
        assert.ok(['GROUPS_TOO_SMALL', 'COLUMN_HIDDEN'].includes(one.refused?.code ?? ''), what);
      return;
    }
    const total = shown.reduce((sum, row) => sum + row.amount!, 0);
    const number = minRows > 1 && shown.length < minRows ? [] : [[shown.length, shown.length === 0 ? null : total]];
    assert.deepEqual(results['count']!.rows, number, what);
    if (minRows > 1) assert.equal(results['rows']!.refused?.code, 'GROUPS_TOO_SMALL', what);
    else {
      const columns = (['quay', 'who', 'amount'] as const).filter((column) => !hidden.has(column));
      assert.deepEqual(
        sorted(results['rows']!.rows),
        sorted(shown.map((row) => columns.map((column) => row[column]))),
        what,
      );
      counts.rows += shown.length;
    }
    assertGroups(results['by-quay']!, want, what);
  }

  function assertGroups(result: Result, { shown, hidden, minRows }: Expected, what: string): void {
    if (hidden.has('quay')) return assert.equal(result.refused?.code, 'COLUMN_HIDDEN', what);
    const groupsOf = new Map<string, number>();
    for (const row of shown) groupsOf.set(row.quay!, (groupsOf.get(row.quay!) ?? 0) + 1);
    const large = [...groupsOf].filter(([, count]) => count >= minRows);
    const small = shown.length - large.reduce((sum, [, count]) => sum + count, 0);
    for (const [quay, count] of result.rows) assert.equal(groupsOf.get(String(quay)), count, what);
    assert.ok(
      result.rows.every(([, count]) => Number(count) >= minRows),
      what,
    );
    // Few rows would be told by the total, so the smallest of the other groups goes with them.
    const isTold = small > 0 && small < minRows && large.length > 0;
    assert.equal(result.rows.length, large.length - (isTold ? 1 : 0), what);
  }

  /** Persons whose rule compares one value but who hold several are refused; what they would see is then nothing. */
  const isAmbiguous = (world: World, person: Person) =>
    person.quays.length > 1 &&
    world.rules.some(({ rule, plain }) => {
      const isNamed =
        rule.appliesTo.kind === 'everyone' ||
        (rule.appliesTo.kind === 'group'
          ? person.groups.includes(rule.appliesTo.name)
          : rule.appliesTo.name === person.email);
      return isNamed && plain.where === "quay = person('quay')";
    });

  async function tryPeople(world: World, what: string): Promise<void> {
    let last: { tag: string; want: string } | undefined;
    for (const person of world.people) {
      const refuses = isAmbiguous(world, person);
      for (const reader of readers) {
        const name = `${what}, ${person.email}, ${reader.where ?? 'no filter'}`;
        const query = reader.where === undefined ? '' : `?where=${encodeURIComponent(reader.where)}`;
        const want = expected(world, { person, isPlaced: true }, reader);
        const answer = await house.call('GET', `/api/v1/placements/ledger/view${query}`, {
          as: person.email,
          ...(last ? { headers: { 'If-None-Match': last.tag } } : {}),
        });
        if (refuses) {
          assert.ok(answer.status === 400, `${name}: ${answer.text}`);
          assertNoMarks(answer.text.replaceAll(reader.where ?? '', ''), { ...want, shown: [] }, name);
          continue;
        }
        // An unchanged answer is only ever one's own.
        if (answer.status === 304) {
          counts.unchanged++;
          assert.equal(last!.want, JSON.stringify([person.email, want]), name);
          continue;
        }
        assertView(answer, want, reader, name);
        const tag = answer.headers.get('etag');
        last = tag ? { tag, want: JSON.stringify([person.email, want]) } : undefined;
      }
      if (!refuses) await tryOtherWays(world, person, `${what}, ${person.email}`);
    }
  }

  async function tryOtherWays(world: World, person: Person, what: string): Promise<void> {
    const want = expected(world, { person, isPlaced: false }, readers[0]!);
    const as = person.email;
    for (const format of ['csv', 'jsonl']) {
      const answer = await house.call('GET', `/api/v1/datasets/ledger/rows?format=${format}`, { as });
      counts.exports++;
      assertNoMarks(answer.text, want, `${what}, ${format}`);
      const lines = answer.text
        .trim()
        .split(/\r?\n/)
        .filter((line) => line !== '');
      if (want.minRows > 1) assert.equal(answer.body.code, 'GROUPS_TOO_SMALL', what);
      else assert.equal(lines.length - (format === 'csv' ? 1 : 0), want.shown.length, `${what}, ${format}`);
    }
    for (const column of ['quay', 'who'] as const) {
      const answer = await house.call('GET', `/api/v1/datasets/ledger/values?column=${column}`, { as });
      counts.values++;
      assertNoMarks(answer.text, want, `${what}, values`);
      if (want.hidden.has(column)) assert.equal(answer.body.code, 'FILTER_UNKNOWN_COLUMN', what);
      else {
        const allowed = new Set<unknown>(want.shown.map((row) => row[column]));
        const { values } = answer.body as unknown as { values: string[] };
        assert.ok(
          values.every((one) => allowed.has(one)),
          what,
        );
      }
    }
    const seen = await house.call('GET', `/api/v1/reports/ledger/preview-as?as=${as}`, { as: owner });
    counts.sees++;
    assertNoMarks(seen.text, want, `${what}, see`);
    const { datasets } = seen.body as unknown as { datasets: { rows: number }[] };
    assert.equal(datasets[0]!.rows, want.minRows > 1 ? undefined : want.fixed.length, `${what}, see`);
    // Whoever only views may not look through other eyes, nor try rules.
    for (const [method, path, body] of [
      ['GET', `/api/v1/reports/ledger/preview-as?as=${owner}`, undefined],
      ['POST', '/api/v1/datasets/ledger/row-rules/test', { appliesTo: { kind: 'everyone' }, where: 'TRUE' }],
      ['GET', '/api/v1/datasets/ledger/row-rules', undefined],
    ] as const) {
      const answer = await house.call(method, path, { as, body });
      assert.equal(answer.body.code, 'NOT_ALLOWED', `${what}, ${path}`);
      assertNoMarks(answer.text, { ...want, shown: [] }, `${what}, ${path}`);
    }
  }

  const mint = (details: object) =>
    house.call('POST', '/api/v1/tokens', { as: owner, body: { client: 'host', report: 'ledger', ...details } });

  async function tryTokens(world: World, secret: string, what: string): Promise<void> {
    for (const token of tokens) {
      const person = random() < 0.4 ? pick(world.people) : undefined;
      const answer = await mint({
        ...(token.where ? { where: { ledger: token.where } } : {}),
        ...(person ? { person: person.email } : {}),
      });
      counts.tokens++;
      const name = `${what}, token ${token.where ?? 'without filter'} ${person?.email ?? ''}`;
      if (world.rules.length > 0 && !person && !token.conditions.some((one) => isGuarding(world, one))) {
        assert.equal(answer.body.code, 'TOKEN_NEEDS_FILTER', name);
        continue;
      }
      assert.equal(answer.status, 201, `${name}: ${answer.text}`);
      if (person && isAmbiguous(world, person)) continue;
      const jwt = (answer.body as unknown as { access_token: string }).access_token;
      await lookWith(world, jwt, token.conditions, person, name);
      const narrowing = pick(narrowings);
      const exchanged = await exchange(secret, jwt, narrowing.where!);
      assert.equal(exchanged.status, 200, `${name}: ${exchanged.text}`);
      const narrower = (exchanged.body as unknown as { access_token: string }).access_token;
      const both = [...token.conditions, ...narrowing.conditions];
      await lookWith(world, narrower, both, person, `${name}, narrowed by ${narrowing.where}`);
    }
  }

  function exchange(secret: string, jwt: string, where: string): Promise<Answer> {
    const form = new URLSearchParams({
      grant_type: 'urn:ietf:params:oauth:grant-type:token-exchange',
      subject_token: jwt,
      subject_token_type: 'urn:ietf:params:oauth:token-type:access_token',
      authorization_details: JSON.stringify([{ type: 'report_view', where: { ledger: where } }]),
    });
    return house.call('POST', '/oauth/token', {
      form,
      headers: { Authorization: `Basic ${Buffer.from(`host:${secret}`).toString('base64')}` },
    });
  }

  async function lookWith(
    world: World,
    jwt: string,
    token: readonly PlainCondition[],
    person: Person | undefined,
    name: string,
  ) {
    for (const reader of [readers[0]!, pick(readers), pick(readers)]) {
      const query = reader.where === undefined ? '' : `?where=${encodeURIComponent(reader.where)}`;
      const answer = await house.call('GET', `/api/v1/placements/ledger/view${query}`, { token: jwt });
      const viewer = { token, isPlaced: true, ...(person ? { person } : {}) };
      assertView(answer, expected(world, viewer, reader), reader, `${name}, ${reader.where ?? 'no filter'}`);
    }
  }

  it('shows no foreign row, value or mark', async (t) => {
    const client = await house.call('PUT', '/api/v1/clients/host', {
      as: owner,
      body: { title: 'Host', reports: ['ledger'], mayNamePersons: true },
    });
    const { secret } = client.body as unknown as { secret: string };
    for (let i = 0; i < worlds; i++) {
      const world = await makeWorld();
      await tryPeople(world, `world ${i}`);
      await tryTokens(world, secret, `world ${i}`);
    }
    t.diagnostic(
      `${worlds} worlds of rules, masks, people, tokens and placements: ${JSON.stringify(counts)}, seed ${seed}`,
    );
    assert.ok(counts.views > worlds * 20 && counts.rows > 0 && counts.refused > 0);
  });

  it('sends no foreign row in a burst, as CSV or PDF', async (t) => {
    const { startWorker } = await import('../../src/server.ts');
    const rows = makeRows();
    await upload(rows);
    await house.app.records.query('DELETE FROM row_rules');
    await house.app.records.query('DELETE FROM masks');
    await house.app.records.transaction(async () => {
      await putRule(house.app, { name: 'open', dataset: 'ledger', appliesTo: { kind: 'everyone' }, where: 'open' });
      const effect = { kind: 'coarsen', column: 'amount', by: { to: 'band', width: 25 } } as const;
      await putMask(house.app, {
        name: 'steps',
        dataset: 'ledger',
        appliesTo: { kind: 'place', name: 'burst' },
        except: [],
        effect,
      });
    });
    const csv = ['quay,email', ...quays.map((quay) => `${quay},${quay.toLowerCase()}@skerrow.example`)].join('\n');
    await house.call('PUT', '/api/v1/lists/quays?id=quay&address=email', { as: owner, csv });
    const saved = await house.call('PUT', '/api/v1/bursts', {
      as: owner,
      body: {
        format: 'underbell-burst/1',
        name: 'ledger',
        title: 'Ledger',
        report: 'ledger',
        page: 'all',
        list: 'quays',
        bind: { quay: 'quay' },
        formats: ['pdf', 'csv'],
        fileName: '{quay}',
        destination: { kind: 'mail', subject: 'Ledger', message: 'Here it is.' },
      },
    });
    assert.equal(saved.status < 300, true, saved.text);
    house.worker = startWorker(house.app);
    const run = await house.call('POST', '/api/v1/bursts/ledger/runs', { as: owner, body: {} });
    const ledger = await house.finished((run.body as unknown as { id: number }).id, owner);
    assert.equal(ledger.state, 'done', JSON.stringify(ledger));
    for (const stored of house.mail.mails) {
      const mail = await house.mail.parse(stored);
      const quay = stored.to[0]!.slice(0, 2).toUpperCase();
      const own = rows.filter((row) => row.quay === quay && row.open);
      for (const file of mail.attachments) {
        const isPdf = file.filename!.endsWith('.pdf');
        const text = isPdf
          ? execFileSync('pdftotext', ['-layout', '-', '-'], { input: file.content }).toString()
          : file.content.toString();
        counts.copies++;
        const marks = new Set([...text.matchAll(/mark-\d{3}/g)].map(([mark]) => mark));
        assert.deepEqual([...marks].sort(), own.map((row) => row.who).sort(), `${quay} ${file.filename}`);
        if (isPdf) continue;
        const amounts = text
          .trim()
          .split('\r\n')
          .slice(1)
          .map((line) => Number(line.split(',')[3]));
        assert.ok(
          amounts.every((amount) => amount % 25 === 0),
          text,
        );
      }
    }
    t.diagnostic(`${counts.copies} files read`);
    assert.equal(counts.copies, 2 * new Set(rows.filter((row) => row.open).map((row) => row.quay)).size);
  });
});
