import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import {
  checkMask,
  decideMasks,
  EffectiveFilter,
  maskedShape,
  maskWords,
  rowsSql,
  type ClientViewer,
  type Mask,
  type MaskPlace,
  type Viewer,
} from '../../src/access/index.ts';
import { checkFilter, parseFilter, StatementBinder } from '../../src/filter/index.ts';
import { columnHidden, planFigure, type DataFigure } from '../../src/report/index.ts';
import { aPerson, aReport, sailings } from '../builders.ts';
import { refused } from '../refused.ts';

const aMask = (change: Partial<Mask> = {}): Mask => ({
  name: 'm',
  dataset: 'sailings',
  appliesTo: { kind: 'everyone' },
  except: [],
  effect: { kind: 'hide', column: 'fares' },
  ...change,
});
const nameless: ClientViewer = { kind: 'client', clientId: 'portal', tokenId: 't', where: {} };
const decide = (masks: Mask[], viewer: Viewer = aPerson(), place?: MaskPlace) =>
  decideMasks(masks, sailings, viewer, { timeZone: 'Europe/London', ...(place ? { place } : {}) });

describe('decideMasks', () => {
  it('applies to groups, persons and places, and spares those excepted', () => {
    const hides = (mask: Partial<Mask>, viewer?: Viewer, place?: MaskPlace) =>
      decide([aMask(mask)], viewer, place).hidden.size;
    assert.equal(hides({}), 1);
    assert.equal(hides({ dataset: 'else' }), 0);
    assert.equal(hides({ appliesTo: { kind: 'group', name: 'Quay managers' } }), 1);
    assert.equal(hides({ appliesTo: { kind: 'group', name: 'Else' } }), 0);
    assert.equal(hides({ appliesTo: { kind: 'person', name: 'kira@skerrow.example' } }), 1);
    assert.equal(hides({ appliesTo: { kind: 'place', name: 'screen' } }), 0);
    assert.equal(hides({ appliesTo: { kind: 'place', name: 'screen' } }, aPerson(), 'screen'), 1);
    assert.equal(hides({ except: ['Quay managers'] }), 0);
  });

  it('takes a token that names nobody for anybody', () => {
    assert.equal(decide([aMask({ appliesTo: { kind: 'group', name: 'Else' } })], nameless).hidden.size, 1);
    assert.equal(decide([aMask({ except: ['Quay managers'] })], nameless).hidden.size, 1);
    const named = { ...nameless, person: aPerson() };
    assert.equal(decide([aMask({ appliesTo: { kind: 'group', name: 'Else' } })], named).hidden.size, 0);
  });

  it('adds masks up to the strictest', () => {
    const coarsen = (by: 'month' | 'year') =>
      aMask({ effect: { kind: 'coarsen', column: 'sailed_on', by: { to: by } } });
    assert.equal(decide([coarsen('month'), coarsen('month')]).coarse.size, 1);
    assert.deepEqual([...decide([coarsen('month'), coarsen('year')]).hidden], ['sailed_on']);
    const hidden = decide([coarsen('month'), aMask({ effect: { kind: 'hide', column: 'sailed_on' } })]);
    assert.deepEqual([hidden.hidden.size, hidden.coarse.size], [1, 0]);
    const sizes = [5, 3].map((rows) => aMask({ effect: { kind: 'small groups', rows } }));
    assert.equal(decide(sizes).minRows, 5);
  });

  it('does not show in another column’s place what is itself hidden', () => {
    const instead = aMask({ effect: { kind: 'coarsen', column: 'quay_id', by: { to: 'column', column: 'route' } } });
    assert.deepEqual([...decide([instead, aMask({ effect: { kind: 'hide', column: 'route' } })]).hidden].sort(), [
      'quay_id',
      'route',
    ]);
  });
});

describe('masked rows', () => {
  const filterOf = (masks: Mask[]) => EffectiveFilter.start({ dataset: sailings, parts: [], masking: decide(masks) });
  const part = (text: string, isFixed: boolean) => ({
    origin: isFixed ? ('row rule' as const) : ('reader' as const),
    name: 'p',
    isFixed,
    node: checkFilter(parseFilter(text), { dataset: sailings, text }),
  });

  it('let fixed limits look at exact values, and the reader’s at what is left', () => {
    const band = aMask({ effect: { kind: 'coarsen', column: 'fares', by: { to: 'band', width: 100 } } });
    const binder = new StatementBinder();
    const filter = filterOf([band]).narrow(part('fares > 250', true), part('fares < 300', false));
    const { from } = rowsSql(filter, { table: 'data."t"', binder });
    assert.match(from, /\(floor\("fares" \/ \$\d::numeric\) \* \$\d::numeric\) AS "fares"/);
    const fenced =
      /FROM \(SELECT \* FROM data\."t" WHERE \("fares" > \$\d::numeric\) OFFSET 0\) AS "fenced" WHERE (.*)\) AS "masked"$/;
    const [, outside] = fenced.exec(from) ?? [];
    assert.match(outside ?? '', /^\(\(floor\("fares" \/ \$\d::numeric\) \* \$\d::numeric\) < \$\d::numeric\)$/);
  });

  it('stay as they are without a mask', () => {
    const { from } = rowsSql(filterOf([]), { table: 'data."t"', binder: new StatementBinder() });
    assert.equal(from, 'data."t"');
  });

  it('leave a hidden column out of tables, and refuse figures that need it', () => {
    const shape = maskedShape(sailings, decide([aMask({ effect: { kind: 'hide', column: 'route' } })]));
    const report = aReport();
    const at = { column: 1, row: 1, width: 3, height: 2 };
    const table: DataFigure = {
      kind: 'table',
      name: 't',
      title: 'T',
      columns: ['quay_id', 'route'],
      sort: [{ by: 'route' }],
      at,
    };
    assert.deepEqual(
      planFigure(report, table, shape).main.columns.map((one) => one.name),
      ['quay_id'],
    );
    refused('COLUMN_HIDDEN', () => planFigure(report, report.pages[0]!.figures[1] as DataFigure, shape));
    refused('COLUMN_HIDDEN', () => planFigure(report, { ...table, columns: ['route'] }, shape));
    const noPassengers = maskedShape(sailings, decide([aMask({ effect: { kind: 'hide', column: 'passengers' } })]));
    refused('COLUMN_HIDDEN', () => planFigure(report, report.pages[0]!.figures[1] as DataFigure, noPassengers));
    assert.equal(columnHidden('sailings', 'route').details.word, 'route');
  });
});

describe('a mask', () => {
  it('is checked against the columns and their types', () => {
    checkMask(aMask(), sailings);
    checkMask(aMask({ effect: { kind: 'small groups', rows: 5 } }), sailings);
    assert.equal(
      refused('FILTER_UNKNOWN_COLUMN', () => checkMask(aMask({ effect: { kind: 'hide', column: 'fare' } }), sailings))
        .details.nearest?.[0],
      'fares',
    );
    const coarsen = (column: string, by: (Mask['effect'] & { kind: 'coarsen' })['by']) => () =>
      checkMask(aMask({ effect: { kind: 'coarsen', column, by } }), sailings);
    coarsen('quay_id', { to: 'column', column: 'route' })();
    coarsen('planned_departure', { to: 'day' })();
    refused('INPUT_INVALID', coarsen('route', { to: 'month' }));
    refused('INPUT_INVALID', coarsen('sailed_on', { to: 'band', width: 10 }));
    refused('INPUT_INVALID', coarsen('quay_id', { to: 'column', column: 'quay_id' }));
    refused('INPUT_INVALID', coarsen('quay_id', { to: 'column', column: 'fares' }));
  });

  it('says what it does', () => {
    assert.equal(maskWords({ kind: 'hide', column: 'skipper_name' }), 'skipper name is hidden');
    assert.equal(
      maskWords({ kind: 'coarsen', column: 'fares', by: { to: 'band', width: 100 } }),
      'fares is shown in steps of 100',
    );
    assert.equal(maskWords({ kind: 'small groups', rows: 5 }), 'groups of fewer than 5 rows are not shown');
  });
});
