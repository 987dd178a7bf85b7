import { columnTypes, fitsType, type ValueType } from '../dataset/index.ts';
import { Refusal, suggest, type Problem } from '../refusal/index.ts';

/** The types that an attribute of screens may have. */
export const attributeTypes = ['text', 'number', 'boolean', 'date'] as const satisfies readonly ValueType[];
export type AttributeType = (typeof attributeTypes)[number];

/** What may be said of each screen: the quay that it hangs on, its region. */
export interface ScreenAttribute {
  readonly name: string;
  readonly label: string;
  readonly type: AttributeType;
}

/** The attributes of one screen, raw, by name. */
export type ScreenValues = Readonly<Record<string, string>>;

const words: Readonly<Record<AttributeType, string>> = {
  text: 'text',
  number: 'a number',
  boolean: 'true or false',
  date: 'a date',
};

/**
 * What the check of a filter can tell of a screen's values: which there are, and as what each can be read. Screens whose
 * values have one shape can show the same.
 */
export function shapeOfValues(values: ScreenValues): string {
  const names = Object.keys(values).sort();
  return JSON.stringify(names.map((name) => [name, columnTypes.filter((type) => fitsType(values[name]!, type))]));
}

/**
 * Checks what is said of a screen against what may be said.
 *
 * @throws {Refusal} `SCREEN_INVALID` with every attribute that is not declared, empty, or of another type
 */
export function checkScreenValues(declared: readonly ScreenAttribute[], values: ScreenValues): void {
  const problems = Object.entries(values).flatMap(([name, value]): Problem[] => {
    const attribute = declared.find((one) => one.name === name);
    const at = `/attributes/${name}`;
    const known = declared.map((one) => one.name);
    if (!attribute) return [{ at, message: `There is no screen attribute “${name}”.`, ...suggest(name, known) }];
    if (value.trim() !== '' && fitsType(value, attribute.type)) return [];
    return [{ at, message: `Screen attribute “${name}”: “${value}” is not ${words[attribute.type]}.` }];
  });
  const [first] = problems;
  if (first) throw new Refusal('SCREEN_INVALID', first.message, { pointer: first.at, ...first, problems });
}
