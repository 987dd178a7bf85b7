import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { ShownScreen } from '@underbell/core/screen';
import { fingerprint } from '../../src/platform/index.ts';
import { screenCacheOf } from '../../src/screen/screenCache.ts';
import { screenKeys } from '../../src/screen/models.ts';
import { until } from '../house.ts';
import { owner, report, someWorks } from '../smallHouse.ts';
import { playlist, ScreenHouse, workSlot, type Device } from './screenHouse.ts';

/** What a screen is told on its stream, in order. */
class Told {
  readonly events: string[] = [];
  isOver = false;
  readonly #reader: ReadableStreamDefaultReader<Uint8Array>;

  private constructor(reader: ReadableStreamDefaultReader<Uint8Array>) {
    this.#reader = reader;
    void this.#read();
  }

  /** Once it was told the first time which program counts. */
  static async open(device: Device): Promise<Told> {
    const answer = await device.request('GET', '/api/v1/screen/events');
    assert.equal(answer.status, 200);
    const told = new Told(answer.body!.getReader());
    await told.count('program', 1);
    return told;
  }

  async #read(): Promise<void> {
    let rest = '';
    for (;;) {
      const { done, value } = await this.#reader.read().catch(() => ({ done: true, value: undefined }));
      if (done) break;
      rest += Buffer.from(value!).toString();
      const parts = rest.split('\n\n');
      rest = parts.pop()!;
      for (const part of parts) this.events.push(...(/^event: (.+)$/m.exec(part)?.slice(1) ?? []));
    }
    this.isOver = true;
  }

  of = (event: string) => this.events.filter((one) => one === event).length;
  count = (event: string, least: number) => until(() => this.of(event) >= least);
  end = () => this.#reader.cancel();
}

describe('what a screen is told at once', () => {
  let screens: ScreenHouse;
  let device: Device;
  before(async () => {
    screens = await ScreenHouse.open();
    device = await screens.pair('one');
    await screens.save(playlist());
    const published = await screens.publish();
    assert.equal(published.status, 200, published.text);
    await loadBerths(3);
  });
  after(() => screens.close());

  const loadBerths = async (count: number) => {
    const csv = ['berth,length', ...Array.from({ length: count }, (_, i) => `B${i},${40 + i}`)].join('\n');
    const answer = await screens.small.house.call('PUT', '/api/v1/datasets/berths/file', { as: owner, csv });
    assert.equal(answer.status, 200, answer.text);
  };
  const withBerths = () => {
    const plain = report({}, { dataset: 'works' });
    const berths = {
      kind: 'number',
      name: 'berths',
      title: 'Berths',
      dataset: 'berths',
      measure: 'berths',
      at: { column: 4, row: 1, width: 3, height: 2 },
    };
    return {
      ...plain,
      datasets: { works: {}, berths: {} },
      measures: { ...plain.measures, berths: { label: 'Berths', expression: 'count()', dataset: 'berths' } },
      pages: [{ ...plain.pages[0]!, figures: [...plain.pages[0]!.figures, berths] }],
    };
  };
  const publishReport = (definition: object) =>
    screens.small.fine('POST', '/api/v1/reports', { definition, notes: '' }, owner);

  it('is what concerns it: data behind its slots, also of what a report reads only since today', async () => {
    const told = await Told.open(device);
    /** What was told, once all of it has come: orders are told as well, and after it. */
    const changed = async () => {
      const before = told.of('program');
      await screens.small.fine('POST', '/api/v1/screens/one/commands', { order: 'show name' }, owner);
      await told.count('program', before + 1);
      return told.of('changed');
    };
    await changed();
    const begun = await changed();
    await loadBerths(4);
    assert.equal(await changed(), begun, 'nothing on this screen reads the berths');
    await screens.small.upload(someWorks.slice(0, 30));
    const loaded = await changed();
    assert.ok(loaded > begun);
    await publishReport(withBerths());
    const published = await changed();
    assert.ok(published > loaded);
    await loadBerths(5);
    const read = await changed();
    assert.ok(read > published, 'now something does, though the screen itself was changed by nobody');
    await publishReport(report());
    const back = await changed();
    assert.ok(back > read);
    await loadBerths(6);
    assert.equal(await changed(), back, 'the berths are nothing to it again');
    await told.end();
  });

  it('follows a board to what is put on it', async () => {
    const figure = { report: 'works', page: 'all', figure: 'count', at: { column: 1, row: 1, width: 4, height: 3 } };
    const board = (change: object = {}) => ({
      format: 'underbell-board/1',
      name: 'harbour',
      title: 'Harbour',
      figures: [{ name: 'how-many', ...figure, ...change }],
    });
    const save = (change: object = {}) =>
      screens.small.fine('PUT', '/api/v1/boards', { definition: board(change) }, owner);
    await save();
    const slots = [workSlot({ name: 'board', shows: { board: 'harbour' } })];
    assert.equal((await screens.save(playlist({ slots }))).status, 200);
    const told = await Told.open(device);
    assert.equal((await screens.publish()).status, 200);
    await told.count('program', 2);
    await publishReport(withBerths());
    await told.count('changed', 1);
    await save({ figure: 'berths' });
    await told.count('changed', 2);
    await loadBerths(7);
    await told.count('changed', 3);
    await save();
    await publishReport(report());
    await told.end();
  });

  it('is nothing of other screens, groups and playlists', async () => {
    const other = await screens.pair('other');
    await screens.small.fine('PUT', '/api/v1/screen-groups/offices', { title: 'Offices' }, owner);
    const office = await screens.pair('office', { quay: 'Q2' }, 'offices');
    const [told, elsewhere] = [await Told.open(other), await Told.open(office)];
    const tag = async () => (await office.beat()).tag;
    const before = await tag();
    assert.equal((await screens.save(playlist({ slots: [workSlot({ seconds: 33 })] }))).status, 200);
    assert.equal((await screens.publish()).status, 200);
    await told.count('program', 2);
    await screens.small.fine('PUT', '/api/v1/screen-groups/offices', { title: 'Offices', otherwise: 'Hello' }, owner);
    await elsewhere.count('program', 2);
    assert.equal(elsewhere.of('program'), 2, elsewhere.events.join());
    assert.equal(told.of('program'), 2, told.events.join());
    assert.notEqual(await tag(), before);
    await Promise.all([told.end(), elsewhere.end()]);
  });

  it('is that something it shows has another name, and so has its playlist', async () => {
    const rename = (path: string, name: string) => screens.small.fine('PUT', `/api/v1/${path}/name`, { name }, owner);
    const told = await Told.open(device);
    const tag = async () => (await device.beat()).tag;
    const before = await tag();
    await rename('reports/works', 'repairs');
    await told.count('changed', 1);
    await told.count('program', 2);
    await rename('playlists/quays', 'piers');
    await told.count('program', 3);
    assert.notEqual(await tag(), before);
    await rename('playlists/piers', 'quays');
    await rename('reports/repairs', 'works');
    await told.count('program', 5);
    assert.equal(await tag(), before);
    await told.end();
  });

  it('is not lost, and ends nothing, while the commands of screens cannot be read', async () => {
    const { app } = screens.small.house;
    const { records } = app;
    await records.query('ALTER TABLE screen_orders RENAME TO screen_orders_away');
    // What is known is forgotten; then a screen changes while its commands are being read.
    screenCacheOf(app).hear(undefined);
    const reading = screenCacheOf(app).mayHaveCommand('one');
    screenCacheOf(app).hear({ kind: 'screen', name: 'one' });
    await assert.rejects(reading, /screen_orders/);
    await records.query('ALTER TABLE screen_orders_away RENAME TO screen_orders');
    await screens.small.fine('POST', '/api/v1/screens/one/commands', { order: 'show name' }, owner);
    assert.deepEqual((await device.beat()).orders, ['show name']);
  });

  it('comes on one stream: a second one ends the first', async () => {
    const first = await Told.open(device);
    const second = await Told.open(device);
    await until(() => first.isOver);
    await screens.small.upload(someWorks.slice(0, 20));
    await second.count('changed', 1);
    await second.end();
  });

  it('ends with the key, and is told once however many end it at the same moment', async () => {
    const ending = await screens.pair('ending');
    const told = await Told.open(ending);
    const end = () => screens.call('POST', '/api/v1/screens/ending/unpair', owner);
    const answers = await Promise.all(Array.from({ length: 5 }, end));
    assert.ok(
      answers.every((one) => one.status === 200),
      answers.map((one) => one.text).join(),
    );
    await until(() => told.isOver);
    assert.equal(told.of('closed'), 1, told.events.join());
    const { history } = (await screens.call('GET', '/api/v1/screens/ending', owner)).body as unknown as ShownScreen;
    assert.equal(history.filter((one) => one.what === 'ended').length, 1);
    assert.equal((await ending.call('GET', '/api/v1/screen/events')).status, 401);
  });

  it('reaches screens whose keys are from before keys had families, which get one', async () => {
    const old = await screens.pair('old');
    const { app } = screens.small.house;
    const plain = 'ubr_from-before';
    const as = (refresh_token: string) => (old.tokens = { ...old.tokens!, refresh_token } as typeof old.tokens);
    const where = { where: { screenName: 'old' } };
    await screenKeys(app).update({ refreshFingerprint: fingerprint(plain), familyFingerprint: null }, where);
    as(plain);
    await old.renew();
    const first = old.tokens!.refresh_token!;
    assert.match(first, /^ubr_.+\.k_/);
    // The answer was lost: the one from before still counts, and begins another family.
    as(plain);
    await old.renew();
    await old.renew();
    const now = old.tokens!;
    // What has no family can be told of nobody: it is refused, and nothing else happens.
    as(plain);
    await assert.rejects(old.renew());
    old.tokens = now;
    await old.renew();
    assert.equal((await old.program()).screen.name, 'old');
    const told = await Told.open(old);
    await told.end();
  });
});
