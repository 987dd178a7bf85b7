import { parametersSet, renamedInBurst } from '@underbell/core/burst';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import { QueryTypes } from 'sequelize';
import {
  lostBy,
  type App,
  type ColumnsChange,
  type Impact,
  type Named,
  type ThingId,
  type ThingUse,
} from '../platform/index.ts';
import { findEdition, type Edition } from '../report/index.ts';
import { listBursts, rewriteDefinitions } from './store.ts';

const living = `state IN ('held', 'waiting', 'running', 'paused')`;

interface LivingRun {
  readonly id: number;
  readonly burst: string;
  readonly state: string;
  readonly report: string;
  readonly list: string;
  readonly template: string | null;
  readonly destination: string | null;
  readonly datasets: readonly string[];
}

/** Runs that are not finished, with what they need. */
const livingRuns = (app: App) =>
  app.records.query<LivingRun>(
    `SELECT id, burst_name AS burst, state, definition->>'report' AS report, definition->>'list' AS list,
       definition->>'template' AS template, definition->'destination'->>'to' AS destination,
       ARRAY(SELECT jsonb_object_keys(revisions)) AS datasets
     FROM runs WHERE ${living} ORDER BY id`,
    { type: QueryTypes.SELECT },
  );

/** What bursts and runs that are not finished use of others. */
export async function usesIn(app: App): Promise<ThingUse[]> {
  const [bursts, runs] = await Promise.all([listBursts(app), livingRuns(app)]);
  return [
    ...bursts.flatMap(({ name, definition }): ThingUse[] => {
      const { report, page, list, template, destination } = definition;
      const by = { kind: 'burst' as const, name };
      return [
        {
          by,
          of: { kind: 'report', name: report },
          what: 'sends it',
          part: { parameters: parametersSet(definition), ...(page === undefined ? {} : { page }) },
        },
        { by, of: { kind: 'list', name: list }, what: 'sends to it' },
        ...(template === undefined
          ? []
          : [{ by, of: { kind: 'template' as const, name: template }, what: 'fills it' }]),
        ...(destination.to === undefined
          ? []
          : [{ by, of: { kind: 'destination' as const, name: destination.to }, what: 'sends there' }]),
      ];
    }),
    ...runs.flatMap(({ id, burst, list, template, destination }): ThingUse[] => {
      const by = { kind: 'run' as const, name: String(id) };
      return [
        { by, of: { kind: 'burst', name: burst }, what: 'is not finished' },
        { by, of: { kind: 'list', name: list }, what: 'sends to it' },
        ...(destination === null
          ? []
          : [{ by, of: { kind: 'destination' as const, name: destination }, what: 'sends there' }]),
        ...(template === null ? [] : [{ by, of: { kind: 'template' as const, name: template }, what: 'fills it' }]),
      ];
    }),
  ];
}

/** Runs at work hold the names that they began with; paused ones take them up anew. */
export async function workOn(app: App, { kind, name }: ThingId): Promise<string[]> {
  const runs = (await livingRuns(app)).filter((one) => one.state === 'waiting' || one.state === 'running');
  const has = (run: LivingRun) => {
    if (kind === 'dataset') return run.datasets.includes(name);
    return (
      (kind === 'burst' || kind === 'report' || kind === 'list' || kind === 'template' || kind === 'destination') &&
      run[kind] === name
    );
  };
  return runs.filter(has).map(({ id }) => `run ${id} is at work`);
}

async function editionOf(app: App, report: string): Promise<Edition | undefined> {
  try {
    return await findEdition(app, report);
  } catch (error) {
    // A burst whose report is gone says so when somebody plans it.
    if (isRefusal(error)) return undefined;
    throw error;
  }
}

/** Bursts whose copies hold rows of the dataset, and would miss a column or could not be cut any more. */
export async function lossesIn(app: App, change: ColumnsChange): Promise<Impact[]> {
  const { name } = change.before;
  const found = await Promise.all(
    (await listBursts(app)).map(async ({ definition }) => {
      const report = (await editionOf(app, definition.report))?.definition;
      const rows = definition.rows?.dataset ?? Object.keys(report?.datasets ?? {})[0];
      if (!report || !Object.hasOwn(report.datasets, name) || rows !== name) return [];
      return lostBy(change, `burst ${definition.name}`, (shape) => {
        const gone = definition.rows?.columns?.find((column) => !shape.columns.some((one) => one.name === column));
        if (gone !== undefined) throw new Refusal('BURST_INVALID', `no column \`${gone}\` in \`${name}\``);
        for (const parameter of Object.keys(definition.bind ?? {})) {
          const bound = report.parameters?.find((one) => one.name === parameter);
          const has = shape.columns.some((one) => (bound?.key ? one.key === bound.key : one.name === bound?.column));
          if (!has) throw new Refusal('KEY_MISSING', `nothing in \`${name}\` that \`${parameter}\` could cut by`);
        }
      });
    }),
  );
  return found.flat();
}

/** Definitions of bursts and of their runs, and starts that wait, follow a thing to its new name. */
export async function followIn(app: App, thing: Named, to: string): Promise<void> {
  await rewriteDefinitions(app, (definition) => renamedInBurst(definition, thing, to));
  if (thing.kind === 'dataset') {
    await app.records.query(
      `UPDATE runs SET revisions = revisions - $from::text || jsonb_build_object($to::text, revisions->$from)
       WHERE revisions ? $from`,
      { bind: { from: thing.name, to } },
    );
  }
  if (thing.kind === 'burst')
    await app.records.query(
      `UPDATE jobs SET payload = jsonb_set(payload, '{name}', to_jsonb($to::text))
       WHERE kind = 'burst.start' AND state IN ('waiting', 'leased') AND payload->>'name' = $from`,
      { bind: { from: thing.name, to } },
    );
}
