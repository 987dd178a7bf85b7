import type { Hours, PlaylistDefinition, Slot, SlotContent, WeekDay, WordValue } from '@underbell/core/screen';

/** A stretch of some days of the week, as a form has it; no day means every day. */
export interface HoursFields {
  days: WeekDay[];
  from: string;
  to: string;
}

/** A number within words, as a form has it. */
export interface ValueFields {
  name: string;
  report: string;
  page: string;
  figure: string;
  where: Record<string, string>;
  readonly rest: Partial<WordValue>;
}

export type SlotKind = 'page' | 'board' | 'media' | 'words';

/** A slot as a form has it: every field a text. */
export interface SlotFields {
  name: string;
  title: string;
  what: SlotKind;
  report: string;
  page: string;
  figure: string;
  board: string;
  media: string;
  text: string;
  values: ValueFields[];
  /** By dataset. */
  where: Record<string, string>;
  parameters: Record<string, string>;
  seconds: number;
  hours: HoursFields[];
  from: string;
  until: string;
  /** Hours by a rule, which stay as the definition has them. */
  readonly rules: readonly Hours[];
  readonly version: number | undefined;
}

/** Only what something was typed into. */
const filled = (texts: Readonly<Record<string, string>>): Record<string, string> =>
  Object.fromEntries(Object.entries(texts).flatMap(([name, text]) => (text.trim() ? [[name, text.trim()]] : [])));
const unlessEmpty = <K extends string, T extends object>(name: K, value: T): { [key in K]?: T } =>
  Object.keys(value).length > 0 ? ({ [name]: value } as { [key in K]: T }) : {};

export const hoursFields = (hours: readonly Hours[] = []): HoursFields[] =>
  hours.flatMap((one) => ('from' in one ? [{ days: [...(one.days ?? [])], from: one.from, to: one.to }] : []));
export const rulesIn = (hours: readonly Hours[] = []): Hours[] => hours.filter((one) => 'rule' in one);

export const hoursOf = (fields: readonly HoursFields[], rules: readonly Hours[]): { hours?: Hours[] } =>
  unlessEmpty('hours', [
    ...fields.map(({ days, from, to }) => ({ ...(days.length > 0 ? { days: [...days] } : {}), from, to })),
    ...rules,
  ]);

export const newFields = (name: string): SlotFields => ({
  name,
  title: '',
  what: 'page',
  report: '',
  page: '',
  figure: '',
  board: '',
  media: '',
  text: '',
  values: [],
  where: {},
  parameters: {},
  seconds: 20,
  hours: [],
  from: '',
  until: '',
  rules: [],
  version: undefined,
});

const valueFields = ([name, value]: readonly [string, WordValue]): ValueFields => {
  const { report, page, figure, where = {}, ...rest } = value;
  return { name, report, page, figure, where: { ...where }, rest };
};

export function fieldsOf(slot: Slot): SlotFields {
  const { name, title = '', shows, where = {}, parameters = {}, seconds, hours, from = '', until = '' } = slot;
  const fields = {
    ...newFields(name),
    title,
    where: { ...where },
    parameters: { ...parameters },
    seconds,
    hours: hoursFields(hours),
    rules: rulesIn(hours),
    from,
    until,
  };
  if ('text' in shows)
    return { ...fields, what: 'words', text: shows.text, values: Object.entries(shows.values ?? {}).map(valueFields) };
  if ('board' in shows) return { ...fields, what: 'board', board: shows.board };
  if ('media' in shows) return { ...fields, what: 'media', media: shows.media, version: shows.version };
  const { report, page = '', figure = '' } = shows;
  return { ...fields, what: 'page', report, page, figure };
}

function contentOf(fields: SlotFields): SlotContent {
  const { what, report, page, figure, board, media, version, text } = fields;
  if (what === 'board') return { board };
  if (what === 'media') return { media, ...(version === undefined ? {} : { version }) };
  if (what === 'page') return { report, ...(page ? { page } : {}), ...(page && figure ? { figure } : {}) };
  const values = fields.values.map(({ name, where, rest, ...value }): [string, WordValue] => [
    name,
    { ...rest, report: value.report, page: value.page, figure: value.figure, ...unlessEmpty('where', filled(where)) },
  ]);
  return { text, ...unlessEmpty('values', Object.fromEntries(values)) };
}

/** A slot as its fields say; what belongs to other kinds of slots is left out. */
export function slotOf(fields: SlotFields): Slot {
  const { name, title, what, where, parameters, seconds, hours, rules, from, until } = fields;
  return {
    name,
    ...(title.trim() ? { title: title.trim() } : {}),
    shows: contentOf(fields),
    ...(what === 'page' || what === 'board' ? unlessEmpty('where', filled(where)) : {}),
    ...(what === 'page' ? unlessEmpty('parameters', filled(parameters)) : {}),
    seconds,
    ...hoursOf(hours, rules),
    ...(from ? { from } : {}),
    ...(until ? { until } : {}),
  };
}

export const newPlaylist = (name: string): PlaylistDefinition => ({
  format: 'underbell-playlist/1',
  name,
  title: name,
  slots: [],
});

/** A name that none of some slots has. */
export function freeName(wanted: string, slots: readonly { readonly name: string }[]): string {
  const taken = new Set(slots.map((one) => one.name));
  for (let i = 1; ; i++) {
    const name = i === 1 ? wanted : `${wanted.slice(0, 56)}-${i}`;
    if (!taken.has(name)) return name;
  }
}

/** When a slot is shown, in a few words. */
export function whenWords({ hours, rules, from, until }: SlotFields): string {
  const stretches = hours.map((one) => `${one.days.join(', ')} ${one.from}–${one.to}`.trim());
  const by = rules.length > 0 ? ['custom recurrence'] : [];
  const days = [from && `from ${from}`, until && `until ${until}`].filter(Boolean);
  return [...(stretches.length + by.length > 0 ? [...stretches, ...by] : ['always']), ...days].join('; ');
}
