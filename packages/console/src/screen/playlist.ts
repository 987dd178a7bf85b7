import type { PlaylistDefinition, Slot } from '@underbell/core/screen';

/** A slot as a form has it: every field a text. */
export interface SlotFields {
  name: string;
  title: string;
  what: 'page' | 'words';
  report: string;
  page: string;
  figure: string;
  text: string;
  where: string;
  seconds: number;
  hours: string;
  /** What no field has a place for, as it was. */
  readonly rest: Partial<Slot>;
}

const conditionLine = /^\s*([\w-]+)\s*:\s*(.+)$/;

export function fieldsOf(slot: Slot): SlotFields {
  const { name, title = '', shows, where = {}, seconds, hours, ...rest } = slot;
  const simple = hours?.length === 1 && 'from' in hours[0]! && !hours[0].days ? hours[0] : undefined;
  return {
    name,
    title,
    what: 'text' in shows ? 'words' : 'page',
    report: 'report' in shows ? shows.report : '',
    page: 'report' in shows ? (shows.page ?? '') : '',
    figure: 'report' in shows ? (shows.figure ?? '') : '',
    text: 'text' in shows ? shows.text : '',
    where: Object.entries(where)
      .map(([dataset, text]) => `${dataset}: ${text}`)
      .join('\n'),
    seconds,
    hours: simple ? `${simple.from}–${simple.to}` : '',
    // Hours beyond one stretch of every day are written in the definition, and stay as they are.
    rest: { ...rest, ...(hours && !simple ? { hours } : {}) },
  };
}

/** A slot as its fields say; what belongs to the other kind of slots is left out. */
export function slotOf(fields: SlotFields): Slot {
  const { name, title, what, report, page, figure, text, where, seconds, hours, rest } = fields;
  const [, from, to] = /^\s*(\d\d:\d\d)\s*[–-]\s*(\d\d:\d\d)\s*$/.exec(hours) ?? [];
  const conditions = where
    .split('\n')
    .map((line) => conditionLine.exec(line))
    .flatMap((one) => (one ? [[one[1]!, one[2]!.trim()] as const] : []));
  const isPage = what === 'page';
  const { parameters, ...kept } = rest;
  return {
    ...kept,
    name,
    ...(title.trim() ? { title: title.trim() } : {}),
    shows: isPage ? { report, ...(page ? { page } : {}), ...(page && figure ? { figure } : {}) } : { text },
    ...(isPage && conditions.length > 0 ? { where: Object.fromEntries(conditions) } : {}),
    ...(isPage && parameters ? { parameters } : {}),
    seconds,
    ...(from && to ? { hours: [{ from, to }] } : {}),
  };
}

export const newPlaylist = (name: string): PlaylistDefinition => ({
  format: 'underbell-playlist/1',
  name,
  title: name,
  slots: [],
});

export const newFields = (name: string): SlotFields => ({
  name,
  title: '',
  what: 'page',
  report: '',
  page: '',
  figure: '',
  text: '',
  where: '',
  seconds: 20,
  hours: '',
  rest: {},
});
