import type { ReportUse } from '@underbell/core/report';
import { userOf, type App } from '../platform/index.ts';

/** Everything that shows or sends a part of a report and follows its current edition. */
export async function dependentsOf(app: App, report: string): Promise<ReportUse[]> {
  const uses = await app.things.dependentsOf({ kind: 'report', name: report });
  return uses.flatMap((use) => (use.part && use.edition === undefined ? [{ user: userOf(use), ...use.part }] : []));
}
