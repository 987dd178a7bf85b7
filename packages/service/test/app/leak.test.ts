import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { casesOf, randomFrom } from '../../../core/test/cases.ts';
import type { Answer } from '../house.ts';
import { author, owner, reader, root, rowsOf, someWorks } from '../smallHouse.ts';
import { AppHouse } from './appHouse.ts';

const { numRuns: rounds, seed } = casesOf(60, 19_402);
/** The quays whose rows somebody may see. */
const people: Readonly<Record<string, readonly string[]>> = {
  [owner]: ['Q1', 'Q2', 'Q3', 'Q4'],
  [author]: ['Q1', 'Q3'],
  [reader]: ['Q1'],
};
const companies = ['ferries', 'trust', 'others', undefined];
const variants = [null, 'quay-count', 'quay-kinds'] as const;
/** Records as hosts have them, and as somebody would have them who wants more. */
const records = ['Q1', 'Q2', 'Q3', 'Q4', 'Q9', 'q1', "Q1' OR TRUE OR '", '%', '', undefined];

describe('an app while records, companies and people change', () => {
  let apps: AppHouse;
  const random = randomFrom(seed);
  const pick = <T>(all: readonly T[]): T => all[Math.floor(random() * all.length)]!;
  const counts = {
    looks: 0,
    rows: 0,
    empty: 0,
    incomplete: 0,
    off: 0,
    tokens: 0,
    exchanges: 0,
    people: 0,
    variants: 0,
  };

  before(async () => {
    apps = await AppHouse.open();
    await apps.turn('enable');
    for (const [email, quay] of Object.entries(people))
      await apps.small.fine('PUT', `/api/v1/users/${email}`, { attributes: { quay } }, root);
  });
  after(() => apps.close());

  /** How many rows an answer is made of, whatever it shows them as. */
  function counted(answer: Answer, variant: string | null): number {
    if (variant === 'quay-count') return Number(rowsOf(answer, 'count')[0]?.[0] ?? 0);
    if (variant === 'quay-kinds') return rowsOf(answer, 'by-kind').reduce((sum, row) => sum + Number(row[1]), 0);
    const rows = rowsOf(answer, 'rows');
    const ids = new Set(rows.map((row) => row[0]));
    assert.equal(ids.size, rows.length);
    return rows.length;
  }

  it('shows a record’s own rows, cut to whoever looks, as their company chose it: nothing else', async (t) => {
    const chosen = new Map<string, string | null>();
    let isOn = true;
    for (let round = 0; round < rounds; round++) {
      if (random() < 0.1) {
        isOn = !isOn;
        assert.equal((await apps.turn(isOn ? 'enable' : 'disable')).status, 200);
      }
      if (random() < 0.4) {
        const company = pick(['ferries', 'trust']);
        const shows = pick(variants);
        assert.equal((await apps.choose(company, shows)).status, 200);
        chosen.set(company, shows);
        counts.variants++;
      }
      const [quay, company, who] = [pick(records), pick(companies), pick(Object.keys(people))];
      const record = { ...(quay === undefined ? {} : { quay }), ...(company === undefined ? {} : { company }) };
      const way = pick(['person', 'token', 'named', 'exchanged'] as const);
      const answer = await look(way, who, record);
      counts.looks++;
      const where = `${way} ${who} ${JSON.stringify(record)} round ${round} (seed ${seed})`;
      if (!isOn) {
        assert.equal(answer.body.code, 'APP_DISABLED', where);
        assert.ok(!/dredging|painting|"rows"/.test(answer.text), where);
        counts.off++;
      } else if (quay === undefined || quay === '') {
        assert.equal(answer.body.code, 'RECORD_INCOMPLETE', where);
        counts.incomplete++;
      } else {
        assert.equal(answer.status, 200, `${where}: ${answer.text}`);
        // A program's own token reaches what its giver does.
        const open = way === 'token' || way === 'exchanged' ? people[owner]! : people[who]!;
        const expected = someWorks.filter((one) => one.quay === quay && open.includes(one.quay)).length;
        const variant = (company !== undefined && chosen.get(company)) || null;
        assert.equal(counted(answer, variant), expected, where);
        counts.rows += expected;
        if (expected === 0) counts.empty++;
      }
    }
    t.diagnostic(`${rounds} rounds: ${JSON.stringify(counts)}, 0 foreign rows, seed ${seed}`);
    assert.ok(counts.rows > 0 && counts.empty > 0 && counts.incomplete > 0, 'each was looked at');
  });

  async function look(way: string, who: string, record: Readonly<Record<string, string>>): Promise<Answer> {
    if (way === 'person') {
      counts.people++;
      const words = new URLSearchParams(Object.entries(record).map(([name, value]) => ['record', `${name}:${value}`]));
      return apps.look({ as: who }, `?${words}`);
    }
    counts.tokens++;
    const given = await apps.ask(record, way === 'named' ? { person: who } : {});
    if (given.status !== 200) return given;
    const token = (given.body as unknown as { access_token: string }).access_token;
    if (way !== 'exchanged') return apps.look({ token });
    counts.exchanges++;
    // Whoever holds a token asks for more in an exchange: another record, another company, no filter.
    type Asked = { readonly context?: Readonly<Record<string, string>>; readonly where?: object };
    const wishes: Asked[] = [
      {},
      { context: { quay: 'Q2' } },
      { context: { company: 'trust' } },
      { where: { works: 'TRUE' } },
    ];
    const asked = pick(wishes);
    const exchanged = await apps.small.house.call('POST', '/oauth/token', {
      form: new URLSearchParams({
        grant_type: 'urn:ietf:params:oauth:grant-type:token-exchange',
        subject_token: token,
        subject_token_type: 'urn:ietf:params:oauth:token-type:access_token',
        authorization_details: JSON.stringify([{ type: 'report_view', ...asked }]),
      }),
      headers: { Authorization: apps.basic },
    });
    const { context = {} } = asked;
    const widens = Object.entries(context).some(
      ([name, value]) => record[name] !== undefined && record[name] !== value,
    );
    if (widens) assert.equal(exchanged.body.code, 'TOKEN_WIDENS', exchanged.text);
    // What was added where nothing was said makes it another company's: the token before it stays what it was.
    if (widens || context['company'] !== undefined) return apps.look({ token });
    assert.equal(exchanged.status, 200, exchanged.text);
    return apps.look({ token: (exchanged.body as unknown as { access_token: string }).access_token });
  }
});
