const dateTime = new Intl.DateTimeFormat('en-GB', { dateStyle: 'medium', timeStyle: 'short' });
const number = new Intl.NumberFormat('en-GB');

export const showInstant = (text: string | null | undefined) => (text ? dateTime.format(new Date(text)) : '–');
export const showCount = (value: number) => number.format(value);
const megabytes = new Intl.NumberFormat('en-GB', { minimumFractionDigits: 1, maximumFractionDigits: 1 });
/** A size as disks and mail hosts count it: a kilobyte is a thousand bytes. */
export function showSize(bytes: number): string {
  if (bytes < 1_000) return `${bytes} B`;
  return bytes < 1e6 ? `${Math.round(bytes / 1_000)} kB` : `${megabytes.format(bytes / 1e6)} MB`;
}
export const capitalised = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

const formatNames: Readonly<Record<string, string>> = {
  pdf: 'PDF',
  png: 'picture',
  csv: 'CSV',
  jsonl: 'JSON Lines',
  xlsx: 'workbook',
  template: 'filled workbook',
  numbers: 'page in words',
};

/** What people call the format of a copy. */
export const formatName = (format: string) => formatNames[format] ?? format;

/** How often: once, twice, 3 times. */
export const showTimes = (count: number): string =>
  count === 1 ? 'once' : count === 2 ? 'twice' : `${showCount(count)} times`;
