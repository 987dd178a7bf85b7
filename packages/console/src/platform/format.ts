import { formatInstant, type FormatOptions } from '@underbell/core/format';
import { shallowRef } from 'vue';

/** How the console shows dates, numbers and times: in the time zone of the installation, once it is known. */
const taste = shallowRef<FormatOptions>({
  locale: 'en-GB',
  timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone,
});
export const consoleTaste = (): FormatOptions => taste.value;
export const setTimeZone = (timeZone: string) => (taste.value = { ...taste.value, timeZone });

const number = new Intl.NumberFormat('en-GB');

export const showInstant = (text: string | null | undefined) =>
  text ? formatInstant(new Date(text), taste.value) : '–';
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
  template: 'workbook template',
  numbers: 'page as text',
};

/** What people call the format of a copy. */
export const formatName = (format: string) => formatNames[format] ?? format;

/** How often: once, twice, 3 times. */
export const showTimes = (count: number): string =>
  count === 1 ? 'once' : count === 2 ? 'twice' : `${showCount(count)} times`;
