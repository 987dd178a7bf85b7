import type { CopyFormat } from '@underbell/core/burst';

/** What each format is on the wire. */
export const mediaTypes: Record<CopyFormat, string> = {
  csv: 'text/csv; charset=utf-8',
  jsonl: 'application/jsonl',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  pdf: 'application/pdf',
  png: 'image/png',
};
