import { meter } from '../meter/index.ts';
import { busyMs, tallied, type App } from '../platform/index.ts';
import { viewTag } from './figures.ts';
import type { PreparedView } from './prepare.ts';
import { mayTake, showView } from './show.ts';

/** A page with its entity tag (RFC 9110, section 8.8.3); no page where the asker has this one already. */
export interface ShownPage {
  readonly tag: string;
  readonly page?: Awaited<ReturnType<typeof showView>>;
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
  return tallied(async (tally) => {
    const start = performance.now();
    const busy = busyMs();
    const page = await showView(app, view, mayExport);
    const { viewer, report } = view.viewing;
    const { rows, queryMs, hits, misses, isLive } = tally;
    meter(app, {
      kind: 'view',
      lane: 'readers',
      report: report.name,
      ...(view.place?.kind ? { placement: view.place.name } : {}),
      person: viewer.kind === 'person' ? viewer.email : viewer.clientId,
      rows,
      // Queries run beside each other: no view waits longer for them than it takes.
      queryMs: Math.min(queryMs, performance.now() - start),
      renderMs: Math.max(0, performance.now() - start - queryMs),
      cpuMs: busyMs() - busy,
      hits,
      misses,
      isLive,
    });
    return { tag, page };
  });
}
