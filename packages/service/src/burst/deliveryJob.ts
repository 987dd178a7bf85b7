import { join } from 'node:path';
import { goesAsLinks, keepingOf, recipientsOfCopies, runStart, templateValues } from '@underbell/core/burst';
import type { Sending } from '../deliver/index.ts';
import { findList, listRecipients } from '../list/index.ts';
import { mediaTypeOf, runFolder } from '../copies/index.ts';
import type { App } from '../platform/index.ts';
import type { RunRow } from './models.ts';
import type { PreparedBurst } from './prepare.ts';
import { unsubscribeAddress } from './unsubscribe.ts';

const dayMs = 86_400_000;

/** Until when the files of a run are kept, counted from its start: the same whoever goes on with it. */
export const keptUntil = ({ createdAt, definition }: RunRow): Date =>
  new Date(createdAt.getTime() + keepingOf(definition).days * dayMs);

/** Where a file of a run's copies lies. */
export const pathInRun = (app: App, run: number, name: string): string =>
  join(runFolder(app.settings.workDir, run), name);

/** What the copies of a run are sent by. */
export async function sendingOf(
  app: App,
  run: RunRow,
  burst: PreparedBurst,
  proceed: Sending['proceed'],
): Promise<Sending> {
  const { definition } = burst;
  const list = await findList(app, definition.list);
  const bound = list && { name: list.name, version: run.listVersion ?? list.version };
  const listed = bound ? await listRecipients(app, bound) : [];
  const recipients = new Map(recipientsOfCopies(definition, listed).map((one) => [one.id, one]));
  const start = runStart(run.createdAt.getTime(), app.settings.timeZone);
  return {
    run: run.id,
    title: definition.title,
    report: burst.viewing.report,
    destination: run.definition.destination,
    isTest: run.isTest,
    recipientOf: ({ recipient, address }) => recipients.get(recipient) ?? { id: recipient, address, values: {} },
    valuesFor: (recipient) => templateValues({ ...burst, start }, recipient),
    pathOf: (file) => pathInRun(app, run.id, file.name),
    typeOf: (file) => mediaTypeOf(file.format, run.definition),
    isLinked: (bytes) => goesAsLinks(definition, bytes),
    keeping: { until: keptUntil(run), signIn: keepingOf(definition).signIn },
    unsubscribeAddress: (delivery) => unsubscribeAddress(app, delivery),
    proceed,
  };
}
