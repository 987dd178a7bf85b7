import type { MadeFormat } from '@underbell/core/burst';

const workbook = 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet';

/** What each format is on the wire. */
export const mediaTypes: Record<MadeFormat, string> = {
  csv: 'text/csv; charset=utf-8',
  jsonl: 'application/jsonl',
  xlsx: workbook,
  template: workbook,
  pdf: 'application/pdf',
  png: 'image/png',
  numbers: 'application/json',
};
