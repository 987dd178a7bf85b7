import type { ListedBoard } from '@underbell/core/board';
import { placementLabel, type PlacedThing } from '@underbell/core/placement';
import type { Catalogue } from '../board/FigureCatalogue.vue';

/** Something that can be placed, with the words that it is found by. */
export interface Placeable {
  readonly thing: PlacedThing;
  readonly kind: 'Report' | 'Page' | 'Figure' | 'Board';
  readonly title: string;
  /** Where it belongs. */
  readonly of: string;
  readonly words: string;
}

const fold = (text: string) => text.normalize('NFKD').replace(/\p{M}/gu, '').toLowerCase();

/** Everything that can be placed, as it is now: reports with their pages and figures, then boards. */
export function placeables(reports: Catalogue, boards: readonly ListedBoard[]): Placeable[] {
  const made = (one: Omit<Placeable, 'words'>): Placeable => ({
    ...one,
    words: fold(`${one.title} ${one.of} ${placementLabel(one.thing)}`),
  });
  return [
    ...reports.flatMap(({ report, title, pages }) => [
      made({
        thing: { report },
        kind: 'Report',
        title,
        of: `${pages.length} ${pages.length === 1 ? 'page' : 'pages'}`,
      }),
      ...pages.flatMap((page) => [
        ...(pages.length > 1
          ? [made({ thing: { report, page: page.name }, kind: 'Page', title: page.title, of: title })]
          : []),
        ...page.figures.map((figure) =>
          made({
            thing: { report, page: page.name, figure: figure.name },
            kind: 'Figure',
            title: figure.title,
            of: `${title}, ${page.title}`,
          }),
        ),
      ]),
    ]),
    ...boards.map(({ name, title, figures }) =>
      made({ thing: { board: name }, kind: 'Board', title, of: `${figures} figures` }),
    ),
  ];
}

/** Those whose words hold every word that is looked for, or that were found by what is inside them. */
export function search(all: readonly Placeable[], text: string, found: ReadonlySet<string>): Placeable[] {
  const words = fold(text).split(/\s+/).filter(Boolean);
  const byWords = all.filter((one) => words.every((word) => one.words.includes(word)));
  const byContent = all.filter(
    ({ thing, kind }) =>
      (kind === 'Report' || kind === 'Board') &&
      found.has(thing.board ? `board ${thing.board}` : `report ${thing.report}`),
  );
  return [...new Set([...byWords, ...byContent])];
}

export const sameThing = (a: PlacedThing, b: PlacedThing): boolean =>
  a.report === b.report && a.page === b.page && a.figure === b.figure && a.board === b.board;
