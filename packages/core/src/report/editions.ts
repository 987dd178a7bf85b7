import type { Figure, Page, ReportDefinition } from './definition.ts';

/** One difference between two editions. */
export interface EditionChange {
  readonly change: 'added' | 'removed' | 'changed';
  readonly what: 'page' | 'figure' | 'measure' | 'parameter' | 'dataset' | 'report';
  /** `overview`, or `overview/by-route` for a figure. */
  readonly name: string;
  /** Which options differ, with both values as JSON. */
  readonly details: readonly { readonly option: string; readonly before?: string; readonly after?: string }[];
}

const json = (value: unknown) => (value === undefined ? undefined : JSON.stringify(value));

function detailsOf(before: object, after: object, except: readonly string[] = []): EditionChange['details'] {
  const [one, other] = [before, after] as Record<string, unknown>[];
  const options = [...new Set([...Object.keys(one!), ...Object.keys(other!)])].filter((name) => !except.includes(name));
  return options.flatMap((option) => {
    const [was, is] = [json(one![option]), json(other![option])];
    if (was === is) return [];
    return [{ option, ...(was === undefined ? {} : { before: was }), ...(is === undefined ? {} : { after: is }) }];
  });
}

function compareNamed<T extends object>(
  what: EditionChange['what'],
  before: ReadonlyMap<string, T>,
  after: ReadonlyMap<string, T>,
  except: readonly string[] = [],
): EditionChange[] {
  const removed = [...before.keys()].filter((name) => !after.has(name));
  return [
    ...removed.map((name): EditionChange => ({ change: 'removed', what, name, details: [] })),
    ...[...after].flatMap(([name, value]): EditionChange[] => {
      const was = before.get(name);
      if (was === undefined) return [{ change: 'added', what, name, details: [] }];
      const details = detailsOf(was, value, except);
      return details.length === 0 ? [] : [{ change: 'changed', what, name, details }];
    }),
  ];
}

const byName = <T extends { readonly name: string }>(things: readonly T[] = []) =>
  new Map(things.map((one) => [one.name, one]));
const figuresOf = (report: ReportDefinition): Map<string, Figure> =>
  new Map(report.pages.flatMap((page) => page.figures.map((one) => [`${page.name}/${one.name}`, one] as const)));

/** What differs between two editions of a report, from the whole down to figures. */
export function compareEditions(before: ReportDefinition, after: ReportDefinition): EditionChange[] {
  const whole = detailsOf(before, after, ['pages', 'measures', 'parameters', 'datasets']);
  return [
    ...(whole.length > 0 ? [{ change: 'changed', what: 'report', name: after.name, details: whole } as const] : []),
    ...compareNamed('dataset', new Map(Object.entries(before.datasets)), new Map(Object.entries(after.datasets))),
    ...compareNamed('parameter', byName(before.parameters), byName(after.parameters)),
    ...compareNamed('measure', new Map(Object.entries(before.measures)), new Map(Object.entries(after.measures))),
    ...compareNamed<Page>('page', byName(before.pages), byName(after.pages), ['figures']),
    ...compareNamed('figure', figuresOf(before), figuresOf(after)),
  ];
}

/** Something that shows or sends a part of a report. */
export interface ReportUse {
  /** `placement quay-page`, `burst quay-pack`, `board harbour`. */
  readonly user: string;
  readonly page?: string;
  readonly figure?: string;
  readonly parameters?: readonly string[];
}

/** What an edition takes away from those who use it, in words; nothing when everything is still there. */
export function brokenUses(after: ReportDefinition, uses: readonly ReportUse[]): { user: string; what: string }[] {
  const parameters = new Set((after.parameters ?? []).map((one) => one.name));
  return uses.flatMap(({ user, page, figure, parameters: used = [] }) => {
    const shown = page === undefined ? undefined : after.pages.find((one) => one.name === page);
    const lost = [
      ...(page !== undefined && !shown ? [`page “${page}” is missing`] : []),
      ...(figure !== undefined && shown && !shown.figures.some((one) => one.name === figure)
        ? [`figure “${figure}” of page “${page}” is missing`]
        : []),
      ...used.filter((name) => !parameters.has(name)).map((name) => `parameter “${name}” is missing`),
    ];
    return lost.map((what) => ({ user, what }));
  });
}
