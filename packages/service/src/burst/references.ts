import { parametersSet, renamedInBurst } from '@underbell/core/burst';
import { Refusal } from '@underbell/core/refusal';
import {
  lostBy,
  renameInJobs,
  renameKey,
  type App,
  type ColumnsChange,
  type Impact,
  type Named,
  type ThingId,
  type ThingUse,
} from '../platform/index.ts';
import { currentDefinitions } from '../report/index.ts';
import { runs } from './models.ts';
import { livingRuns, type LivingRun } from './runs.sql.ts';
import { listBursts, rewriteDefinitions } from './store.ts';

/** What bursts and runs that are not finished use of others. */
export async function usesIn(app: App): Promise<ThingUse[]> {
  const [bursts, living] = await Promise.all([listBursts(app), livingRuns(app)]);
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
    ...living.flatMap(({ id, burst, list, template, destination }): ThingUse[] => {
      const by = { kind: 'run' as const, name: String(id) };
      return [
        { by, of: { kind: 'burst', name: burst }, what: 'not completed' },
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
  const atWork = (await livingRuns(app)).filter((one) => one.state === 'waiting' || one.state === 'running');
  const has = (run: LivingRun) => {
    if (kind === 'dataset') return run.datasets.includes(name);
    return (
      (kind === 'burst' || kind === 'report' || kind === 'list' || kind === 'template' || kind === 'destination') &&
      run[kind] === name
    );
  };
  return atWork.filter(has).map(({ id }) => `run ${id} is at work`);
}

/** Bursts whose copies hold rows of the dataset, and would miss a column or could not be cut any more. */
export async function lossesIn(app: App, change: ColumnsChange): Promise<Impact[]> {
  const { name } = change.before;
  const reports = new Map((await currentDefinitions(app)).map((one) => [one.name, one]));
  return (await listBursts(app)).flatMap(({ definition }) => {
    const report = reports.get(definition.report);
    const rows = definition.rows?.dataset ?? Object.keys(report?.datasets ?? {})[0];
    if (!report || !Object.hasOwn(report.datasets, name) || rows !== name) return [];
    return lostBy(change, `burst ${definition.name}`, (shape) => {
      const gone = definition.rows?.columns?.find((column) => !shape.columns.some((one) => one.name === column));
      if (gone !== undefined) throw new Refusal('BURST_INVALID', `Dataset “${name}” has no column “${gone}”.`);
      for (const parameter of Object.keys(definition.bind ?? {})) {
        const bound = report.parameters?.find((one) => one.name === parameter);
        const has = shape.columns.some((one) => (bound?.key ? one.key === bound.key : one.name === bound?.column));
        if (!has)
          throw new Refusal(
            'SHARED_KEY_MISSING',
            `Dataset “${name}” has no column that parameter “${parameter}” filters by.`,
          );
      }
    });
  });
}

/** Definitions of bursts and of their runs, and starts that wait, follow a thing to its new name. */
export async function followIn(app: App, thing: Named, to: string): Promise<void> {
  await rewriteDefinitions(app, (definition) => renamedInBurst(definition, thing, to));
  const { name: from } = thing;
  if (thing.kind === 'dataset') await renameKey(app, { model: runs, column: 'revisions', from, to });
  if (thing.kind === 'burst') await renameInJobs(app, ['burst.start'], from, to);
}
