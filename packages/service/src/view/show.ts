import { effectiveFilterOf, isAtLeast, ownFilterText, viewerName, type EffectiveFilter } from '@underbell/core/access';
import { isRefusal } from '@underbell/core/refusal';
import { asksData, spanWords, type Figure, type Parameter, type ParameterValue } from '@underbell/core/report';
import { formatDate } from '@underbell/core/format';
import { rightOn } from '../access/index.ts';
import type { TokenViewer } from '@underbell/core/access';
import type { App } from '../platform/index.ts';
import { readFigures } from './figures.ts';
import { revisionFor, type PreparedView } from './prepare.ts';
import { type ShownParameter, type ViewResponse, type ViewedFigure, type ViewedDataset } from '@underbell/core/view';

/** What limits rows and what is masked, in words. */
function limitsIn(filter: EffectiveFilter) {
  return { limits: filter.explain(), masks: filter.masking.words };
}

/** Each dataset's limits in words. One that a limit does not fit says so in its figures. */
export function limitsOf(view: PreparedView): ViewedDataset<Date>[] {
  return [...view.revisions.values()].map((revision) => {
    const about = {
      dataset: revision.shape.name,
      revision: revision.number,
      loadedAt: revision.loadedAt,
      ...(revision.isLive ? { isLive: true } : {}),
      ...(revision.staleSince ? { staleSince: revision.staleSince, staleReason: revision.staleReason ?? '' } : {}),
    };
    try {
      return { ...about, ...limitsIn(effectiveFilterOf(view.viewing, revision.shape)) };
    } catch (error) {
      if (!isRefusal(error)) throw error;
      return { ...about, limits: [], masks: [] };
    }
  });
}

/** A parameter's value as people read it. */
export function parameterWords(value: ParameterValue, locale: string): string {
  if (value.span) return spanWords(value.span, locale);
  const { type } = value.parameter;
  return value.values.map((one) => (type === 'date' ? formatDate(String(one), locale) : String(one))).join(', ');
}

function parametersOf({ viewing, taste }: PreparedView): ShownParameter[] {
  const { fixed, chosen } = viewing;
  const held = (parameter: Parameter) => [...chosen, ...fixed].find((one) => one.parameter.name === parameter.name);
  return (viewing.report.parameters ?? []).map((parameter) => {
    const { name, label, type, many, period, required, allowed } = parameter;
    const value = held(parameter);
    return {
      name,
      label: label ?? name,
      type,
      isMany: many === true,
      isPeriod: period === true,
      isRequired: required === true,
      isFixed: fixed.some((one) => one.parameter.name === name),
      hasValues: allowed !== undefined || (type === 'text' && period !== true),
      ...(value
        ? {
            texts: value.texts,
            words: parameterWords(value, taste.locale),
            ...(value.isDefault ? { isDefault: true } : {}),
            ...(value.span ? { span: value.span } : {}),
          }
        : {}),
    };
  });
}

/** A viewer draws figures; what their filters say stays here. */
/** A link to a page that is not shown here leads nowhere. */
function linkedWithin(figure: Figure, pages: readonly { readonly name: string }[]): Figure {
  if (!('link' in figure) || figure.link === undefined) return figure;
  const { link, ...rest } = figure;
  return pages.some((one) => one.name === link.page) ? figure : (rest as Figure);
}

function withoutFilter(figure: Figure): ViewedFigure {
  const { where: _, ...shown } = figure as Figure & { where?: string };
  return shown;
}

const ownerOf = (view: PreparedView) => (figure: Figure) =>
  asksData(figure) ? revisionFor(view, figure).shape : undefined;

/** Whether the viewer may take figures away as files. */
export async function mayTake(app: App, { viewing, right }: PreparedView): Promise<boolean> {
  const { viewer, report } = viewing;
  if (viewer.kind === 'client') return (viewer as TokenViewer).details?.actions.includes('export') === true;
  return isAtLeast(right ?? (await rightOn(app, viewer, 'report', report.name)), 'export');
}

/** What a viewer draws, all but its figures' results. */
export async function frameView(
  app: App,
  view: PreparedView,
  mayExport?: boolean,
): Promise<Omit<ViewResponse<Date>, 'results'>> {
  const { viewing, edition, place } = view;
  const { report, page } = viewing;
  const { viewer } = viewing;
  const allowed = viewer.kind === 'client' ? (viewer as TokenViewer).details?.pages : undefined;
  const own = ownFilterText(viewing, ownerOf(view));
  return {
    report: { name: report.name, title: report.title, edition: edition.number },
    title: place?.title ?? report.title,
    pages: report.pages
      .filter((one) => !allowed || allowed.includes(one.name))
      .map(({ name, title }) => ({ name, title })),
    page: {
      name: page.name,
      title: page.title,
      figures: page.figures.map((one) => withoutFilter(linkedWithin(one, report.pages))),
      ...(page.narrow ? { narrow: page.narrow } : {}),
    },
    parameters: parametersOf(view),
    datasets: limitsOf(view),
    ...(place?.look && Object.keys(place.look).length > 0 ? { look: place.look } : {}),
    ...(own === undefined ? {} : { own }),
    ...((mayExport ?? (await mayTake(app, view))) ? { mayExport: true } : {}),
    ...((viewer as Partial<TokenViewer>).isPublic ? { isPublic: true as const } : {}),
    viewer: viewerName(viewer),
    taste: view.taste,
  };
}

/** The whole answer that a viewer draws. */
export async function showView(app: App, view: PreparedView, mayExport?: boolean): Promise<ViewResponse<Date>> {
  const results = await readFigures(app, view);
  return { ...(await frameView(app, view, mayExport)), results: Object.fromEntries(results) };
}
