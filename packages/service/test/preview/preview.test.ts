import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { author, owner, reader, report, root, SmallHouse } from '../smallHouse.ts';

const figure = (name: string, of: string, row: number) => ({
  name,
  report: 'works',
  page: 'all',
  figure: of,
  at: { column: 1, row, width: 12, height: 4 },
});
const board = (change: object = {}) => ({
  format: 'underbell-board/1',
  name: 'draft',
  title: 'Draft',
  figures: [figure('count', 'count', 1), figure('rows', 'rows', 5)],
  ...change,
});
interface Drawn {
  readonly results: Record<string, { rows: unknown[][]; refused?: { code: string } }>;
}

describe('a board before it is saved', () => {
  let small: SmallHouse;
  before(async () => (small = await SmallHouse.open()));
  after(() => small.close());
  const preview = (as: string, body: object) => small.house.call('POST', '/api/v1/boards/preview', { as, body });

  it('has the own rows of whoever makes it, and nothing of it is kept', async () => {
    const { status, body, text } = await preview(author, { definition: board() });
    assert.equal(status, 200, text);
    const { rows } = (body as unknown as Drawn).results['rows']!;
    assert.equal(rows.length, 10);
    assert.ok(rows.every((row) => row[1] === 'Q1'));
    assert.equal((await small.house.call('GET', '/api/v1/boards/draft', { as: author })).status, 404);
  });

  it('is drawn through others’ eyes for who may look at the rows, and for nobody else', async () => {
    const asked = await preview(author, { definition: board(), as: reader });
    assert.equal(asked.body.code, 'NOT_ALLOWED');
    assert.ok(!asked.text.includes('dredging'));
    const { body } = await preview(owner, { definition: board(), as: reader });
    assert.ok((body as unknown as Drawn).results['rows']!.rows.every((row) => row[1] === 'Q1'));
    assert.equal((await preview(owner, { definition: board(), as: 'nobody@else.example' })).body.code, 'NOT_FOUND');
  });

  it('shows somebody nothing of a report that they may not see, whoever asks', async () => {
    // Nobody gave the administrator any rows by being one: their eyes see what their rights say.
    const { body } = await preview(owner, { definition: board(), as: root });
    for (const one of Object.values((body as unknown as Drawn).results))
      assert.ok(
        one.refused !== undefined || one.rows.every((row) => row.length === 0 || row[1] === 'Q1' || row[0] === 0),
      );
  });

  it('is refused to who makes none, to who may not change the one of that name, and with its mistakes', async () => {
    assert.equal((await preview(reader, { definition: board() })).body.code, 'NOT_ALLOWED');
    await small.fine('PUT', '/api/v1/boards', { definition: board({ name: 'taken' }) }, owner);
    const other = await preview(author, { definition: board({ name: 'taken' }) });
    assert.ok(['NOT_FOUND', 'NOT_ALLOWED'].includes(other.body.code as string), other.text);
    const wrong = await preview(author, { definition: board({ figures: [figure('count', 'cuont', 1)] }) });
    assert.equal(wrong.body.code, 'BOARD_INVALID');
    assert.match(wrong.text, /figures\/0\/figure/);
    assert.match(wrong.text, /count/, 'the nearest name is told');
  });

  it('has its pages of reports printed likewise: own rows, others’ for who may look at them', async () => {
    const print = (as: string, body: object) =>
      small.house.call('POST', '/api/v1/reports/preview/print', {
        as,
        body: { definition: report({ name: 'draft' }), ...body },
      });
    const mine = await print(author, {});
    assert.equal(mine.status, 200, mine.text);
    assert.match(mine.text, /^%PDF-/);
    assert.equal((await print(author, { as: reader })).body.code, 'NOT_ALLOWED');
    assert.equal((await print(owner, { as: reader })).status, 200);
    assert.equal((await print(reader, {})).body.code, 'NOT_ALLOWED');
  });
});
