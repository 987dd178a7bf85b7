import { checkMask, checkPlacementFilter, checkRule } from '@underbell/core/access';
import { columnChanges, type DatasetColumn, type DatasetShape } from '@underbell/core/dataset';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import { validateReport } from '@underbell/core/report';
import { attributeNames, listMasks, listRules } from '../access/index.ts';
import { listBoards } from '../board/store.ts';
import { listBursts } from '../burst/store.ts';
import { findDatasetRow, listDatasets } from '../dataset/index.ts';
import { listPlacements } from '../place/store.ts';
import type { App } from '../platform/index.ts';
import { findEdition, listReports } from '../report/store.ts';

/** Something that uses a dataset, and what it would lose. */
export interface Impact {
  readonly user: string;
  readonly what: string;
}

/** What a check complains about under new columns, if it did not under the old ones. */
function newComplaints(check: (shape: DatasetShape) => void, before: DatasetShape, after: DatasetShape): string[] {
  const complaints = (shape: DatasetShape): string[] => {
    try {
      check(shape);
      return [];
    } catch (error) {
      if (!isRefusal(error)) throw error;
      return error.details.problems?.map((one) => `${one.at}: ${one.message}`) ?? [error.message];
    }
  };
  const known = new Set(complaints(before));
  return complaints(after).filter((one) => !known.has(one));
}

/**
 * Everything that columns which vanish, change their type or lose their key would break: reports, record rules, masks,
 * placements, boards and bursts, each checked as it was when it was saved.
 */
export async function impactOf(app: App, name: string, columns: readonly DatasetColumn[]): Promise<Impact[]> {
  const row = await findDatasetRow(app, name);
  if (!row) return [];
  const lostKeys = row.columns.some(
    (one) => one.key !== undefined && columns.find((now) => now.name === one.name)?.key !== one.key,
  );
  if (!lostKeys && columnChanges(row.columns, columns).every((one) => one.change === 'new')) return [];
  const before: DatasetShape = { name, columns: row.columns };
  const after: DatasetShape = { name, columns };
  const lost = (user: string, check: (shape: DatasetShape) => void): Impact[] =>
    newComplaints(check, before, after).map((what) => ({ user, what }));
  const [rules, masks, reports, placements, boards, bursts, attributes, all] = await Promise.all([
    listRules(app, name),
    listMasks(app, name),
    listReports(app),
    listPlacements(app),
    listBoards(app),
    listBursts(app),
    attributeNames(app),
    listDatasets(app),
  ]);
  const shapes = new Map<string, DatasetShape>(all.map((one) => [one.name, one]));
  const editions = await Promise.all(reports.map((one) => findEdition(app, one.name)));
  const users = editions.filter(({ definition }) => Object.hasOwn(definition.datasets, name));
  return [
    ...rules.flatMap((rule) => lost(`rule ${rule.name}`, (shape) => checkRule(rule.where, shape, attributes))),
    ...masks.flatMap((mask) => lost(`mask ${mask.name}`, (shape) => checkMask(mask, shape))),
    ...users.flatMap(({ definition }) =>
      lost(
        `report ${definition.name}`,
        (shape) => void validateReport(definition, (one) => (one === name ? shape : shapes.get(one))),
      ),
    ),
    ...placements.flatMap((one) => {
      const text = one.conditions[name];
      return text === undefined ? [] : lost(`placement ${one.name}`, (shape) => checkPlacementFilter(text, shape));
    }),
    ...boards.flatMap((board) =>
      board.definition.figures.flatMap((figure) => {
        const text = figure.where?.[name];
        return text === undefined ? [] : lost(`board ${board.name}`, (shape) => checkPlacementFilter(text, shape));
      }),
    ),
    ...bursts.flatMap(({ definition }) => {
      const report = users.find((one) => one.definition.name === definition.report);
      const rows = definition.rows?.dataset ?? Object.keys(report?.definition.datasets ?? {})[0];
      if (!report || rows !== name) return [];
      return lost(`burst ${definition.name}`, (shape) => {
        const gone = definition.rows?.columns?.find((column) => !shape.columns.some((one) => one.name === column));
        if (gone !== undefined) throw new Refusal('BURST_INVALID', `no column \`${gone}\` in \`${name}\``);
        for (const parameter of Object.keys(definition.bind ?? {})) {
          const bound = report.definition.parameters?.find((one) => one.name === parameter);
          const has = shape.columns.some((one) => (bound?.key ? one.key === bound.key : one.name === bound?.column));
          if (!has) throw new Refusal('KEY_MISSING', `nothing in \`${name}\` that \`${parameter}\` could cut by`);
        }
      });
    }),
  ];
}

/** Refuses columns that would break something. @throws {Refusal} `REFRESH_BREAKS` with everything that would break */
export async function refuseBreaks(app: App, name: string, columns: readonly DatasetColumn[]): Promise<void> {
  const impact = await impactOf(app, name, columns);
  if (impact.length === 0) return;
  const users = [...new Set(impact.map((one) => one.user))];
  throw new Refusal('REFRESH_BREAKS', `the new data would break ${users.join(', ')}; the old data stays`, {
    hint: 'mend the query or what uses it, or load it anyway',
    problems: impact.map((one) => ({ at: one.user, message: one.what })),
  });
}
