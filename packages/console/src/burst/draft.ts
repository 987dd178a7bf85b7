import type { PeriodUnit } from '@underbell/core/burst/apiTypes';

/** A burst as its editor holds it: every field is there, empty where nothing is said. */
export interface Draft {
  name: string;
  title: string;
  report: string;
  page: string;
  list: string;
  bind: { parameter: string; column: string }[];
  where: { dataset: string; text: string }[];
  /** Column -> what stands between its values. */
  many: { column: string; separator: string }[];
  each: string;
  asSeenBy: 'sender' | 'recipient';
  periodParameter: string;
  periodUnit: PeriodUnit | '';
  /** What the burst sets for all: parameter -> value, several with commas between them. */
  parameters: { parameter: string; value: string }[];
  formats: string[];
  template: string;
  rowsDataset: string;
  separator: string;
  decimal: string;
  dateOrder: string;
  headings: string;
  byLanguage: boolean;
  mark: boolean;
  encoding: string;
  passwordColumn: string;
  empty: string;
  fileName: string;
  kind: string;
  to: string;
  subject: string;
  message: string;
  emptyMessage: string;
  replyTo: string;
  send: string;
  showsPage: boolean;
  unsubscribe: boolean;
  folder: string;
  replace: boolean;
  isAnnounced: boolean;
  keepDays: string;
  rule: string;
  start: string;
  timeZone: string;
  missed: string;
  except: string;
  holidays: string;
  onHoliday: string;
  afterRefresh: string;
  release: string;
  summary: string;
}

interface Definition {
  [field: string]: unknown;
}

/** Several values are written with commas between them. */
function settingOf(value: string): string | string[] {
  const found = value.split(',').map((one) => one.trim());
  return found.length > 1 ? found : found[0]!;
}

const text = (value: unknown) => (typeof value === 'string' ? value : '');
const record = (value: unknown) => (value ?? {}) as Definition;
const pairs = (value: unknown) => Object.entries(record(value)).map(([key, one]) => [key, text(one)] as const);

export function emptyDraft(timeZone: string): Draft {
  return toDraft({ destination: { kind: 'mail' }, formats: ['pdf'] }, timeZone);
}

/** A saved definition as the editor holds it. What the editor has no field for is kept beside it. */
export function toDraft(definition: object, timeZone: string): Draft {
  const d = definition as Definition;
  const destination = record(d['destination']);
  const announce = record(destination['announce']);
  const schedule = record(d['schedule']);
  const csv = record(d['csv']);
  const period = record(d['period']);
  const isLetter = destination['kind'] === 'mail';
  return {
    name: text(d['name']),
    title: text(d['title']),
    report: text(d['report']),
    page: text(d['page']),
    list: text(d['list']),
    bind: pairs(d['bind']).map(([parameter, column]) => ({ parameter, column })),
    where: pairs(d['where']).map(([dataset, one]) => ({ dataset, text: one })),
    many: pairs(d['many']).map(([column, separator]) => ({ column, separator })),
    each: text(d['each']),
    asSeenBy: d['asSeenBy'] === 'recipient' ? 'recipient' : 'sender',
    periodParameter: text(period['parameter']),
    periodUnit: (text(period['unit']) as PeriodUnit) || '',
    parameters: Object.entries(record(d['parameters'])).map(([parameter, value]) => ({
      parameter,
      value: [value].flat().join(', '),
    })),
    formats: [...((d['formats'] as string[] | undefined) ?? [])],
    template: text(d['template']),
    rowsDataset: text(record(d['rows'])['dataset']),
    separator: text(csv['separator']),
    decimal: text(csv['decimal']),
    dateOrder: text(csv['dates']),
    headings: text(csv['headings']),
    byLanguage: csv['byLanguage'] === true,
    mark: csv['mark'] === true,
    encoding: text(csv['encoding']),
    passwordColumn: text(record(d['pdf'])['passwordColumn']),
    empty: text(d['empty']),
    fileName: text(d['fileName']),
    kind: text(destination['kind']),
    to: text(destination['to']),
    subject: text(isLetter ? destination['subject'] : announce['subject']),
    message: text(isLetter ? destination['message'] : announce['message']),
    emptyMessage: text(destination['emptyMessage']),
    replyTo: text(destination['replyTo']),
    send: text(destination['send']),
    showsPage: destination['page'] === true,
    unsubscribe: destination['unsubscribe'] === true,
    folder: text(destination['folder']),
    replace: destination['replace'] === true,
    isAnnounced: destination['announce'] !== undefined,
    keepDays: d['keep'] === undefined ? '' : String(record(d['keep'])['days']),
    rule: text(schedule['rule']),
    start: text(schedule['start']),
    timeZone: text(schedule['timeZone']) || timeZone,
    missed: schedule['missed'] === 'skip' ? 'skip' : '',
    holidays: text(schedule['holidays']),
    onHoliday: text(schedule['onHoliday']),
    except: ((schedule['except'] as string[] | undefined) ?? []).join(', '),
    afterRefresh: text(d['afterRefresh']),
    release: ((d['release'] as string[] | undefined) ?? []).join(', '),
    summary: text(d['summary']),
  };
}

const several = (value: string) =>
  value
    .split(/[\s,;]+/)
    .map((one) => one.trim())
    .filter((one) => one !== '');
const unlessEmpty = (fields: Record<string, string>) =>
  Object.fromEntries(Object.entries(fields).filter(([, value]) => value !== ''));
const ifAny = (name: string, entries: [string, string | string[]][]) =>
  entries.length === 0 ? {} : { [name]: Object.fromEntries(entries) };

function destinationOf(d: Draft, before: Definition): object {
  const letter = { subject: d.subject, message: d.message };
  if (d.kind === 'mail')
    return {
      kind: 'mail',
      ...letter,
      ...(before['kind'] === 'mail' && before['largest'] !== undefined ? { largest: before['largest'] } : {}),
      ...unlessEmpty({ to: d.to, emptyMessage: d.emptyMessage, replyTo: d.replyTo, send: d.send }),
      ...(d.showsPage ? { page: true } : {}),
      ...(d.unsubscribe ? { unsubscribe: true } : {}),
    };
  if (d.kind === 'webhook') return { kind: d.kind, to: d.to };
  return {
    kind: d.kind,
    to: d.to,
    ...unlessEmpty({ folder: d.folder }),
    ...(d.replace ? { replace: true } : {}),
    ...(d.isAnnounced ? { announce: letter } : {}),
  };
}

/** The definition that a draft stands for. @param before - the saved one, whose other fields are kept */
export function toDefinition(d: Draft, before: object = {}): object {
  const old = before as Definition;
  const schedule = record(old['schedule']);
  const kept = record(old['keep']);
  const rows = record(old['rows']);
  const except = several(d.except);
  const release = several(d.release).map((one) => one.toLowerCase());
  const csv = {
    ...unlessEmpty({ separator: d.separator, decimal: d.decimal, dates: d.dateOrder }),
    ...unlessEmpty({ headings: d.headings, encoding: d.encoding }),
    ...(d.byLanguage ? { byLanguage: true } : {}),
    ...(d.mark ? { mark: true } : {}),
  };
  return {
    format: 'underbell-burst/1',
    name: d.name,
    title: d.title,
    report: d.report,
    ...unlessEmpty({ page: d.page }),
    list: d.list,
    ...ifAny(
      'bind',
      d.bind.filter((one) => one.parameter !== '').map((one) => [one.parameter, one.column]),
    ),
    ...ifAny(
      'where',
      d.where.filter((one) => one.text !== '').map((one) => [one.dataset, one.text]),
    ),
    ...ifAny(
      'many',
      d.many.filter((one) => one.column !== '').map((one) => [one.column, one.separator]),
    ),
    ...unlessEmpty({ each: d.each }),
    ...(d.asSeenBy === 'recipient' ? { asSeenBy: 'recipient' } : {}),
    ...(d.periodUnit === ''
      ? {}
      : {
          period: {
            unit: d.periodUnit,
            ...(d.periodUnit === 'run' ? {} : unlessEmpty({ parameter: d.periodParameter })),
          },
        }),
    ...ifAny(
      'parameters',
      d.parameters.filter((one) => one.value.trim() !== '').map((one) => [one.parameter, settingOf(one.value)]),
    ),
    formats: d.formats,
    ...(d.formats.includes('template') ? { template: d.template } : {}),
    ...(d.rowsDataset === '' && rows['columns'] === undefined
      ? {}
      : { rows: { ...rows, ...unlessEmpty({ dataset: d.rowsDataset }) } }),
    ...(Object.keys(csv).length === 0 ? {} : { csv }),
    ...(d.passwordColumn === '' ? {} : { pdf: { passwordColumn: d.passwordColumn } }),
    ...unlessEmpty({ empty: d.empty, summary: d.summary, afterRefresh: d.afterRefresh }),
    ...(d.keepDays === '' ? {} : { keep: { ...kept, days: Number(d.keepDays) } }),
    ...(d.rule === ''
      ? {}
      : {
          schedule: {
            ...(schedule['period'] === undefined ? {} : { period: schedule['period'] }),
            ...(schedule['paused'] === true ? { paused: true } : {}),
            rule: d.rule,
            start: d.start,
            timeZone: d.timeZone,
            ...unlessEmpty({ missed: d.missed }),
            ...(except.length > 0 ? { except } : {}),
            ...unlessEmpty({ holidays: d.holidays, onHoliday: d.holidays === '' ? '' : d.onHoliday }),
          },
        }),
    ...(release.length > 0 ? { release } : {}),
    fileName: d.fileName,
    destination: destinationOf(d, record(old['destination'])),
  };
}

/** Which step of the editor a problem's place belongs to; the last one where it belongs to none. */
export function stepOf(pointer: string | undefined): number {
  const first = /^\/?(\w+)/.exec(pointer ?? '')?.[1] ?? '';
  const steps: readonly (readonly string[])[] = [
    ['name', 'title', 'report', 'page', 'parameters'],
    ['list', 'bind', 'where', 'many', 'each', 'asSeenBy'],
    ['period', 'formats', 'template', 'rows', 'csv', 'pdf', 'empty', 'fileName'],
    ['destination', 'keep'],
    ['schedule', 'afterRefresh', 'release', 'summary'],
  ];
  const at = steps.findIndex((names) => names.includes(first));
  return at < 0 ? steps.length : at;
}
