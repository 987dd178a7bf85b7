import type { CsvStyle, MadeFormat } from '@underbell/core/burst';

const workbook = 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet';

/** What each format is on the wire, CSV in its usual encoding. */
export const mediaTypes: Record<MadeFormat, string> = {
  csv: 'text/csv; charset=utf-8',
  jsonl: 'application/jsonl',
  xlsx: workbook,
  template: workbook,
  pdf: 'application/pdf',
  png: 'image/png',
  numbers: 'application/json',
};

/** What files of a format are on the wire. */
export const mediaTypeOf = (format: MadeFormat, { csv }: { readonly csv?: CsvStyle }): string =>
  format === 'csv' ? `text/csv; charset=${csv?.encoding ?? 'utf-8'}` : mediaTypes[format];
