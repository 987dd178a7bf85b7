import { checkMask, type Mask, type PlaceKind } from '../access/index.ts';
import type { DatasetColumn, DatasetShape } from '../dataset/index.ts';

/** By dataset: columns that a placement shows as others, for everybody who looks there: names as districts. */
export type ColumnSwaps = Readonly<Record<string, Readonly<Record<string, string>>>>;

/** What swapped columns are to the rows behind a placement: masks for whoever looks there. */
export function masksOf(title: string, kind: PlaceKind, swaps: ColumnSwaps): Mask[] {
  return Object.entries(swaps).flatMap(([dataset, columns]) =>
    Object.entries(columns).map(([column, to]): Mask => ({
      name: title,
      dataset,
      appliesTo: { kind: 'place', name: kind },
      except: [],
      effect: { kind: 'coarsen', column, by: { to: 'column', column: to } },
    })),
  );
}

/** @throws {Refusal} `FILTER_UNKNOWN_COLUMN`, `INPUT_INVALID` where two columns are of different types */
export function checkSwaps(swaps: ColumnSwaps, shape: DatasetShape): void {
  for (const mask of masksOf('', 'link', { [shape.name]: swaps[shape.name] ?? {} })) checkMask(mask, shape);
}

const person =
  /^(first |last |full )?names?$|\b(surname|person|passenger|customer|guest|master|skipper|crew|clerk|manager|contact|e-?mail|phone)\b/;

/** Whether a column seems to say who somebody is: by its name and label, for nothing more than a hint. */
export const seemsPersonal = ({ name, label, type }: Pick<DatasetColumn, 'name' | 'label' | 'type'>): boolean =>
  type === 'text' && [name.replaceAll('_', ' '), label ?? ''].some((one) => person.test(one.toLowerCase()));
