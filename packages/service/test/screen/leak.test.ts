import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { casesOf, randomFrom } from '../../../core/test/cases.ts';
import { drawTurn, scheduledSlotOf } from '../../src/screen/imageMode/draw.ts';
import { setupOf } from '../../src/screen/schedule.ts';
import { findScreen } from '../../src/screen/store.ts';
import { author, owner, root, rowsOf, someWorks } from '../smallHouse.ts';
import { playlist, ScreenHouse, workSlot, type Device } from './screenHouse.ts';

const { numRuns: rounds, seed } = casesOf(30, 20_117);
/** Drawn as a whole; of the others what would be drawn is looked at. */
const mostPictures = 12;
/** The quays that whoever gives a group its report may see. */
const givers = { quays: ['Q1', 'Q2', 'Q3', 'Q4'], others: ['Q1'] } as const;
const quays = ['Q1', 'Q2', 'Q3', 'Q4', 'Q9', 'q1', '%', "Q1' OR TRUE OR '", 'Q1 '];
const conditions = [
  "quay = screen('quay')",
  "quay IN (screen('quay')) AND cost >= 150",
  "cost < 300 AND quay = screen('quay')",
];

describe('screens while their attributes, groups and playlists change', () => {
  let screens: ScreenHouse;
  const random = randomFrom(seed);
  const pick = <T>(all: readonly T[]): T => all[Math.floor(random() * all.length)]!;
  const counts = { pictures: 0, looks: 0, rows: 0, empty: 0, refused: 0, foreignSlots: 0, published: 0, closed: 0 };
  const wall = new Map<string, { device: Device; quay: string; group: keyof typeof givers; isOpen: boolean }>();
  /** Of which rows each picture was drawn, by its tag. */
  const drawn = new Map<string, string>();
  let condition = conditions[0]!;

  before(async () => {
    screens = await ScreenHouse.open();
    for (const kind of ['screen-group', 'playlist', 'screen'] as const) {
      const grant = { holder: { kind: 'person', name: author }, thing: { kind, name: '*' }, level: 'own' };
      await screens.small.fine('PUT', '/api/v1/permissions', grant, root);
    }
    // Without rows of their own they would decide about the data, and its limits were not theirs.
    await screens.small.fine('PUT', '/api/v1/screen-groups/others', { title: 'Others' }, author);
    for (const [name, group] of [
      ['one', 'quays'],
      ['two', 'quays'],
      ['three', 'others'],
    ] as const) {
      const device = await screens.pair(name, { quay: 'Q1' }, group);
      wall.set(name, { device, quay: 'Q1', group, isOpen: true });
    }
    await publish();
  });
  after(() => screens.close());

  async function publish(): Promise<void> {
    for (const [name, group, as] of [
      ['quays', 'quays', owner],
      ['others', 'others', author],
    ] as const) {
      const definition = playlist({ name, slots: [workSlot({ where: { works: condition } })] });
      const saved = await screens.save(definition, as);
      assert.equal(saved.status, 200, saved.text);
      const targets = [{ kind: 'screen-group', name: group }];
      const answer = await screens.publish(name, { targets }, as);
      assert.equal(answer.status, 200, answer.text);
    }
    counts.published++;
  }

  const fits = (cost: number) => (condition.includes('>=') ? cost >= 150 : condition.includes('<') ? cost < 300 : true);

  it('show their own rows, cut to whoever gave them the report: nothing else', async (t) => {
    for (let round = 0; round < rounds; round++) {
      if (random() < 0.3) {
        condition = pick(conditions);
        await publish();
      }
      const [name, one] = pick([...wall]);
      if (random() < 0.5) {
        const quay = pick(quays);
        const body = { ...screens.screenBody(name, { quay }, one.group), name: undefined };
        const answer = await screens.call('PUT', `/api/v1/screens/${name}`, owner, body);
        assert.equal(answer.status, 200, answer.text);
        one.quay = quay;
      }
      if (random() < 0.1) {
        await screens.small.fine('POST', `/api/v1/screens/${name}/unpair`, undefined, owner);
        one.isOpen = false;
      } else if (!one.isOpen) {
        one.device = await screens.pair(name, { quay: one.quay }, one.group);
        one.isOpen = true;
      }
      await look(name, round);
    }
    t.diagnostic(`${rounds} rounds: ${JSON.stringify(counts)}, 0 foreign rows, seed ${seed}`);
    assert.ok(counts.rows > 0 && counts.empty > 0, 'each was looked at');
  });

  /** What would be drawn for a device that shows pictures: the same rows; one picture for equal ones, never for others. */
  async function lookAtPicture(name: string, expected: readonly number[], where: string): Promise<void> {
    const { app } = screens.small.house;
    const setup = await setupOf(app, (await findScreen(app, name))!);
    const shown = await scheduledSlotOf(app, setup);
    assert.ok(shown.found.content.kind === 'page', where);
    const rows = shown.found.content.page.results.get('rows')!.rows;
    const ids = rows.map((row) => Number(row[0])).sort((a, b) => a - b);
    assert.deepEqual(ids, expected, where);
    if (counts.pictures >= mostPictures) return;
    counts.pictures++;
    const { tag } = await drawTurn(app, shown, { width: 320, height: 240 }, undefined);
    // The title says whose playlist it is; rows, and what limits them, say the rest.
    const before = drawn.get(tag);
    if (before !== undefined) assert.equal(before, JSON.stringify(ids), `${where}: a picture of other rows`);
    drawn.set(tag, JSON.stringify(ids));
  }

  async function look(name: string, round: number): Promise<void> {
    const one = wall.get(name)!;
    const where = `${name} ${JSON.stringify([one.quay, one.group, condition])} round ${round} (seed ${seed})`;
    counts.looks++;
    const playlistName = one.group;
    const newest = (await screens.call('GET', `/api/v1/playlists/${playlistName}`, root)).body as unknown as {
      revision: number;
    };
    const answer = await one.device.slot(`${playlistName}.${newest.revision}.works`);
    if (!one.isOpen) {
      assert.equal(answer.body.code, 'SCREEN_UNPAIRED', where);
      counts.closed++;
      return;
    }
    assert.equal(answer.status, 200, `${where} ${JSON.stringify(answer.body)}`);
    const expected = someWorks.filter(
      (row) => row.quay === one.quay && (givers[one.group] as readonly string[]).includes(row.quay) && fits(row.cost),
    );
    const rows = rowsOf({ body: answer.body } as never, 'rows');
    assert.deepEqual(
      rows.map((row) => Number(row[0])).sort((a, b) => a - b),
      expected.map((row) => row.id),
      where,
    );
    counts.rows += rows.length;
    await lookAtPicture(
      name,
      expected.map((row) => row.id),
      where,
    );
    if (rows.length === 0) counts.empty++;
    // The other group's slot, and a revision that is no more, are none of this screen.
    const other = one.group === 'quays' ? 'others' : 'quays';
    for (const id of [`${other}.${newest.revision}.works`, `${playlistName}.${newest.revision - 1}.works`]) {
      assert.equal((await one.device.slot(id)).status, 404, where);
      counts.foreignSlots++;
    }
  }
});
