import type { ViewAnswer } from '@underbell/core/view';
import { meter, type MeterEntry } from '../meter/index.ts';
import { busyMs, tallied, type App } from '../platform/index.ts';
import { viewTag } from './figures.ts';
import type { PreparedView } from './prepare.ts';
import { mayTake, showView } from './show.ts';

/** A page with its entity tag (RFC 9110, section 8.8.3); no page where the asker has this one already. */
export interface ShownPage {
  readonly tag: string;
  readonly page?: ViewAnswer<Date>;
}

/** Looks at something for somebody, and writes down what that cost. */
export function metered<T>(
  app: App,
  of: Pick<MeterEntry, 'report' | 'board' | 'placement' | 'person'>,
  look: () => Promise<T>,
): Promise<T> {
  return tallied(async (tally) => {
    const start = performance.now();
    const busy = busyMs();
    const seen = await look();
    const { rows, queryMs, hits, misses, isLive } = tally;
    meter(app, {
      kind: 'view',
      lane: 'readers',
      ...of,
      rows,
      // Queries run beside each other: no view waits longer for them than it takes.
      queryMs: Math.min(queryMs, performance.now() - start),
      renderMs: Math.max(0, performance.now() - start - queryMs),
      cpuMs: busyMs() - busy,
      hits,
      misses,
      isLive,
    });
    return seen;
  });
}

/**
 * Shows a page and writes down what that cost; a page that the asker has already costs no query.
 *
 * @param known - the tag of the page that the asker has
 */
export async function showPage(app: App, view: PreparedView, known: string): Promise<ShownPage> {
  const mayExport = await mayTake(app, view);
  const tag = viewTag(view, app.now(), mayExport);
  if (known === tag) return { tag };
  const { viewer, report } = view.viewing;
  const of = {
    report: report.name,
    ...(view.place?.kind ? { placement: view.place.name } : {}),
    person: viewer.kind === 'person' ? viewer.email : viewer.clientId,
  };
  return { tag, page: await metered(app, of, () => showView(app, view, mayExport)) };
}
