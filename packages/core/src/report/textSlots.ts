/** A place in a text that a value stands in: `{sailings}`, `{param:month}`. */
export const slot = /\{(param:)?([a-z][a-z0-9_]*)\}/g;

const namesIn = (text: string, isParameter: boolean): string[] => [
  ...new Set(
    [...text.matchAll(slot)].filter((match) => (match[1] !== undefined) === isParameter).map((match) => match[2]!),
  ),
];

/** The measures that a text shows: `{sailings}`. */
export const measuresIn = (text: string): string[] => namesIn(text, false);
/** The parameters that a text shows: `{param:month}`. */
export const parametersIn = (text: string): string[] => namesIn(text, true);
