import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { casesOf, randomFrom } from '../../../core/test/cases.ts';
import { until, type Answer } from '../house.ts';
import { author, owner, rowsOf, someWorks } from '../smallHouse.ts';
import { ChatHouse, type UserName } from './chatHouse.ts';

const { numRuns: rounds, seed } = casesOf(30, 19_301);
/** Who comes and goes, with the quay whose rows they may see; none of those of whom nothing is known. */
const people: Readonly<Record<'reader' | 'owner' | 'newcomer' | 'guest', string | undefined>> = {
  reader: 'Q1',
  owner: 'Q1',
  newcomer: undefined,
  guest: undefined,
};
type Name = keyof typeof people;
const names = Object.keys(people) as readonly Name[];

describe('tabs while members come and leave', () => {
  let at: ChatHouse;
  const random = randomFrom(seed);
  const pick = <T>(all: readonly T[]): T => all[Math.floor(random() * all.length)]!;
  const counts = { looks: 0, shown: 0, rows: 0, closed: 0, figures: 0, boards: 0, missed: 0 };

  before(async () => {
    at = await ChatHouse.open();
    // Everybody comes in once, so that they are somebody; then all go.
    for (const name of names) at.add(name);
    await at.heard();
    await at.placed();
    await at.placed(
      { shows: { title: 'One figure', report: 'works', page: 'all', figure: 'rows' } },
      author,
      'one-figure',
    );
    const board = { format: 'underbell-board/1', name: 'all-works', title: 'All works' };
    const figure = {
      name: 'rows',
      report: 'works',
      page: 'all',
      figure: 'rows',
      at: { column: 1, row: 1, width: 12, height: 8 },
    };
    const definition = { ...board, figures: [figure] };
    await at.small.fine('PUT', '/api/v1/boards', { definition }, author);
    await at.placed({ shows: { title: 'A board', board: 'all-works' } }, author, 'board-tab');
  });
  after(() => at.close());

  /** What somebody saw is theirs and nobody else's; from outside nothing is seen. */
  function check(name: Name, answer: Answer, mayBe: { readonly inside: boolean; readonly outside: boolean }): void {
    counts.looks++;
    if (answer.status !== 200) {
      assert.equal(answer.body.code, 'NOT_FOUND', answer.text);
      assert.ok(mayBe.outside, `${name} is in the channel and sees nothing (seed ${seed})`);
      assert.ok(!/Works|quay|dredging/.test(answer.text), 'and nothing is told by that');
      counts.closed++;
      return;
    }
    assert.ok(mayBe.inside, `${name} is not in the channel and sees it (seed ${seed})`);
    const seen = rowsOf(answer, 'rows');
    const theirs = someWorks.filter((one) => one.quay === people[name]).map((one) => one.id);
    assert.deepEqual(
      seen.map(([id]) => id).toSorted((a, b) => Number(a) - Number(b)),
      theirs,
      `rows of ${name} (seed ${seed})`,
    );
    counts.shown++;
    counts.rows += seen.length;
  }

  it('are seen by who is in the channel at that moment, with their own rows, and by nobody else', async (t) => {
    const keys = {} as Record<Name, string>;
    for (const name of names) keys[name] = await at.keyOf(name);
    // Their own right on the report would let readers in anyhow: it is the channel that is looked at.
    const grants = (await at.small.fine('GET', '/api/v1/permissions?kind=report&name=works', undefined, author))
      .body as unknown as {
      grants: { id: number; holder: { kind: string; name?: string }; thing: { name: string } }[];
    };
    for (const one of grants.grants.filter(({ holder }) => holder.name === 'reader@skerrow.example'))
      await at.small.fine('DELETE', `/api/v1/permissions/${one.id}`, undefined, author);
    const watched: Name[] = ['reader', 'newcomer', 'guest'];
    const inside = new Set<UserName>(watched);
    const tabs = ['works-tab', 'one-figure', 'board-tab'];
    const [service] = at.chat.services;
    for (let round = 0; round < rounds; round++) {
      const name = pick(watched);
      const before = new Set(inside);
      service!.isDeaf = random() < 0.25;
      if (service!.isDeaf) counts.missed++;
      if (inside.delete(name)) at.remove(name);
      else {
        inside.add(name);
        at.add(name);
      }
      const looks = watched.map(async (who) => {
        const tab = pick(tabs);
        counts[tab === 'board-tab' ? 'boards' : 'figures']++;
        const answer = await at.view(keys[who], tab);
        // While it changes, either is right; a moment later only one is.
        check(who, answer, {
          inside: before.has(who) || inside.has(who),
          outside: !before.has(who) || !inside.has(who),
        });
      });
      const wasDeaf = service!.isDeaf;
      service!.isDeaf = false;
      if (wasDeaf) await at.look();
      await Promise.all([...looks, at.heard()]);
      for (const who of watched)
        check(who, await at.view(keys[who], pick(tabs)), { inside: inside.has(who), outside: !inside.has(who) });
    }
    t.diagnostic(`${rounds} comings and goings: ${JSON.stringify(counts)}, 0 foreign rows, seed ${seed}`);
    assert.ok(counts.shown > rounds / 2 && counts.closed > rounds / 2, 'both were looked at');
  });

  it('show owners of the channel no more by that than others', async () => {
    at.add('owner', at.others);
    await at.heard();
    await until(async () => (await at.view(await at.keyOf('owner'))).status === 200);
    const answer = await at.small.house.call('GET', '/api/v1/placements/works-tab/view', { as: owner });
    assert.deepEqual([...new Set(rowsOf(answer, 'rows').map((row) => row[1]))], ['Q1']);
  });
});
