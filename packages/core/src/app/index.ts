import type { PersonViewer, RightLevel } from '../access/index.ts';
import { boardFormat, type BoardDefinition } from '../board/index.ts';
import type { PlacedThing } from '../placement/index.ts';
import { gridColumns } from '../report/index.ts';

/** Where an app's company is told: in a field of its record, or in an attribute of whoever looks. */
export interface CompanyFrom {
  readonly from: 'record' | 'person';
  readonly name: string;
}

/** A chart of the app's own, as a page of its own. */
export interface AppChart {
  readonly name: string;
  readonly title: string;
  readonly address: string;
}

/** A business app as its administrator says it. */
export interface AppSetup {
  readonly title: string;
  /** Of its pages. */
  readonly origins: readonly string[];
  /** The program by which its server asks for access tokens. */
  readonly client: string | null;
  /** None: everybody is of the same company. */
  readonly company: CompanyFrom | null;
  /** What mixed pages may show of its own. */
  readonly charts: readonly AppChart[];
}

/** `At`: an instant, a `Date` before it is sent. */
export interface ShownApp<At = string> extends AppSetup {
  readonly name: string;
  /** Nothing is shown in it while it is off. */
  readonly isOn: boolean;
  /** By address; nothing for one that was never switched. */
  readonly switchedBy?: string;
  readonly switchedAt?: At;
  readonly right: RightLevel;
  readonly places: readonly AppPlace<At>[];
}

/** A placement that stands in an app, with what companies may have there instead. */
export interface AppPlace<At = string> extends PlacedThing {
  readonly placement: string;
  readonly title: string;
  /** Whether people may have it in their side panel. */
  readonly inPanel: boolean;
  /** Placements of the app that a company may have here instead, by name. */
  readonly offers: readonly string[];
  readonly companies: readonly CompanyChoice<At>[];
}

/** What a company chose for one place; the standard, where nothing stands for it. */
export interface CompanyChoice<At = string> {
  readonly id: number;
  readonly company: string;
  readonly shows: string | null;
  readonly by: string;
  readonly at: At;
  /** The last one counts; the others can be had back. */
  readonly counts: boolean;
}

/** One report of a side panel. */
export interface PanelItem {
  readonly placement: string;
  readonly title: string;
}

/** A person's own side panel in an app. */
export interface SidePanel {
  readonly app: string;
  readonly title: string;
  /** Origins of the app's pages: they are told nothing but height and what happened. */
  readonly may: readonly PanelItem[];
  /** In the person's own order; everything that they may see here until they choose. */
  readonly chosen: readonly string[];
  /** What was shown last. */
  readonly shown?: string;
}

/** A page on which a person of the app mixes figures of reports with the app's own charts. */
export interface AppPage {
  readonly name: string;
  readonly title: string;
  readonly right: RightLevel;
  /** By address. */
  readonly changedBy: string | null;
  readonly version: number;
  readonly items: readonly PageItem[];
}

/** A figure of a report, or a chart of the app's own. */
export type PageItem =
  { readonly report: string; readonly page: string; readonly figure: string } | { readonly chart: string };

/** Who a page is shared with, and which figures they will not see there. */
export interface PageShared {
  readonly person: string;
  readonly level: RightLevel;
  /** Titles of figures whose reports they have no right on, of reports that whoever shares it may edit. */
  readonly unseen: readonly string[];
}

/** The company that somebody looks as; nothing where it is not told. A person of several is of none of them here. */
export function companyOf(
  from: CompanyFrom | null,
  who: { readonly person?: PersonViewer | undefined; readonly record: Readonly<Record<string, string>> },
): string | undefined {
  if (from === null) return undefined;
  const { name } = from;
  if (from.from === 'record') return Object.hasOwn(who.record, name) ? who.record[name] || undefined : undefined;
  const values = who.person && Object.hasOwn(who.person.attributes, name) ? who.person.attributes[name]! : [];
  return values.length === 1 ? values[0] : undefined;
}

const pageHeight = 7;
/** Two beside each other. */
const pageWidth = gridColumns / 2;

/** A mixed page as the board that it is: two figures beside each other, in the order in which they were put there. */
export function boardOfPage(
  page: { readonly name: string; readonly title: string; readonly items: readonly PageItem[] },
  charts: readonly AppChart[],
): BoardDefinition {
  const placed = page.items.map((item, i) => ({
    item,
    name: `f${i + 1}`,
    at: {
      column: 1 + (i % 2) * pageWidth,
      row: 1 + Math.floor(i / 2) * pageHeight,
      width: pageWidth,
      height: pageHeight,
    },
  }));
  const frames = placed.flatMap(({ item, name, at }) => {
    const chart = 'chart' in item ? charts.find((one) => one.name === item.chart) : undefined;
    return chart ? [{ name, title: chart.title, address: chart.address, at }] : [];
  });
  return {
    format: boardFormat,
    name: page.name,
    title: page.title,
    figures: placed.flatMap(({ item, name, at }) => ('report' in item ? [{ name, ...item, at }] : [])),
    ...(frames.length > 0 ? { frames } : {}),
  };
}

/** What a board holds, as items of a mixed page, from above to below. */
export function itemsOf({ figures, frames = [] }: BoardDefinition, charts: readonly AppChart[]): PageItem[] {
  const all = [
    ...figures.map(({ at, report, page, figure }) => ({ at, item: { report, page, figure } })),
    ...frames.flatMap(({ at, address }) => {
      const chart = charts.find((one) => one.address === address);
      return chart ? [{ at, item: { chart: chart.name } }] : [];
    }),
  ];
  return all.sort((a, b) => a.at.row - b.at.row || a.at.column - b.at.column).map((one) => one.item);
}
