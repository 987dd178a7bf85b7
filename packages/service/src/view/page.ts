import { meter, type MeterEntry } from '../usage/index.ts';
import { busyMs, trackUsage, tell, versionRead, type App } from '../platform/index.ts';
import { dataFigures, readFigures, resultsKey, viewTag } from './figures.ts';
import { keptAnswers, pack, type Packed } from './compressedResponse.ts';
import type { PreparedView } from './prepare.ts';
import { frameView, mayTake, showView } from './show.ts';

/** A page with its entity tag (RFC 9110, section 8.8.3); no page where the asker has this one already. */
export interface ShownPage {
  readonly tag: string;
  readonly page?: Packed;
}

/** Looks at something for somebody, and writes down what that cost. */
export function metered<T>(
  app: App,
  of: Pick<MeterEntry, 'report' | 'board' | 'placement' | 'person'>,
  look: () => Promise<T>,
): Promise<T> {
  return trackUsage(async (tally) => {
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
 * The figures' results as JSON, made once for everybody with these filters.
 *
 * @param key - everything that they are made of
 */
async function resultsText(app: App, view: PreparedView, key: string): Promise<string> {
  const { results } = keptAnswers(app);
  const known = results.get(key);
  if (known !== undefined) {
    tell({ hits: dataFigures(view).length });
    return known;
  }
  const made = JSON.stringify(Object.fromEntries(await readFigures(app, view)));
  results.set(key, made);
  return made;
}

async function makeAnswer(app: App, view: PreparedView, key: string, mayExport: boolean): Promise<Packed> {
  const results = await resultsText(app, view, key);
  const frame = JSON.stringify(await frameView(app, view, mayExport));
  return pack(`${frame.slice(0, -1)},"results":${results}}`);
}

/** Who asks for what, and what they have of it. */
export interface PageAsked {
  /** The viewer, as nobody else is called. */
  readonly asker: string;
  /** Path and words of the address, which name what the reader chose, and the reader's languages. */
  readonly address: string;
  /** The tag of the page that the asker has. */
  readonly known: string;
}

/**
 * Shows a page and writes down what that cost; a page that the asker has already costs no query, and one that was made for
 * them before none either. What is kept was made while the records were as they are now: whoever loses a right, or meets
 * another rule, never gets what was made before.
 *
 * @param prepare - decides what the asker may see of it
 */
export async function showPage(app: App, asked: PageAsked, prepare: () => Promise<PreparedView>): Promise<ShownPage> {
  const { asker, address, known } = asked;
  const version = versionRead();
  const { recent } = keptAnswers(app);
  const just = version === undefined ? undefined : recent.get(`${version} ${asker} ${address}`);
  if (just) {
    if (just.tag === known) return { tag: known };
    return metered(app, just.of, async () => {
      tell({ hits: just.figures });
      return just;
    });
  }
  const view = await prepare();
  const mayExport = await mayTake(app, view);
  const figures = resultsKey(view, app.now());
  const tag = viewTag(view, figures, mayExport);
  if (known === tag) return { tag };
  const { viewer, report } = view.viewing;
  const of = {
    report: report.name,
    ...(view.place?.kind ? { placement: view.place.name } : {}),
    person: viewer.kind === 'person' ? viewer.email : viewer.clientId,
  };
  const page = await metered(app, of, async () => {
    // Where nobody knows how the records stand, nothing is kept.
    if (version === undefined) return pack(JSON.stringify(await showView(app, view, mayExport)));
    const { answers } = keptAnswers(app);
    const own = `${tag} ${version} ${asker} ${address}`;
    const made = answers.get(own);
    if (made) {
      tell({ hits: dataFigures(view).length });
      return made;
    }
    const answer = await makeAnswer(app, view, `${figures} ${version}`, mayExport);
    answers.set(own, answer);
    return answer;
  });
  const isLive = [...view.revisions.values()].some((one) => one.keepMs !== undefined);
  if (version !== undefined && !isLive)
    recent.set(`${version} ${asker} ${address}`, { tag, page, of, figures: dataFigures(view).length });
  return { tag, page };
}
