import type { PersonViewer } from '@underbell/core/access';
import type { OwnCopy } from '@underbell/core/burst/apiTypes';
import { copiesTo, linksTo } from '../deliver/index.ts';
import type { App } from '../platform/index.ts';
import { findRuns } from './store.ts';

const newest = 20;

/** What was sent to somebody last, by any burst: told to its recipient alone. */
export async function ownCopies(app: App, person: PersonViewer): Promise<OwnCopy<Date>[]> {
  const copies = await copiesTo(app, person.email, newest);
  const [runs, links] = await Promise.all([
    findRuns(app, [...new Set(copies.map((one) => one.runId))]),
    linksTo(
      app,
      copies.map((one) => one.id),
    ),
  ]);
  const titles = new Map(runs.map((run) => [run.id, run.definition.title]));
  return copies.map(({ id, runId, occurrence, changedAt, files }) => ({
    title: titles.get(runId) ?? '',
    period: occurrence,
    sentAt: changedAt,
    files: [...files.entries()]
      .filter(([, file]) => file.isInline !== true)
      .map(([position, { name }]) => {
        const link = links.get(`${id}.${position}`);
        return { name, ...(link === undefined ? {} : { link }) };
      }),
  }));
}
