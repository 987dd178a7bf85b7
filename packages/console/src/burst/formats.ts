const names: Readonly<Record<string, string>> = {
  pdf: 'PDF',
  png: 'picture',
  csv: 'CSV',
  jsonl: 'JSON Lines',
  xlsx: 'workbook',
  template: 'filled workbook',
};

/** What people call a format. */
export const formatName = (format: string) => names[format] ?? format;
