export type { DatasetRow, RefreshCause, RefreshSchedule } from './models.ts';
export { columnNames, readCsv } from './csvFile.ts';
export { refuseSmallGroups, type RowRequest } from './request.ts';
export { countBetween, countRows, countRowsPerLimit, countRowsPerTuple, ownCounts } from './rowCounts.ts';
export { countQueryRows, readFigure, readRows, refuseTelling } from './rowFigures.ts';
export { CutAsker, readFigurePerCut } from './rowFiguresPerCut.ts';
export { charactersIn } from './characters.ts';
export { readRowBytes } from './rowFiles.ts';
export { distinctValues, sampleRows, valuesWithWords } from './rowValues.ts';
export {
  askLoadToStop,
  changeDataset,
  dueDatasets,
  findDataset,
  findDatasetRow,
  findKeptRevision,
  findRevisionRows,
  usualKeepSeconds,
  listDatasets,
  readableRevision,
  showRevision,
  type Revision,
  findHook,
  loadedSince,
  takeDue,
} from './store.ts';
export {
  annotate,
  checkDefinition,
  ownRows,
  requireLoader,
  saveDataset,
  saveDatasetIn,
  type ColumnNote,
  type DatasetSpec,
} from './usecases.ts';
export { previewRows, profileColumns, rowsQuery } from './profile.ts';
export {
  describeQuery,
  loadFromFile,
  loadFromSource,
  refreshedColumns,
  sweepTables,
  type FileRows,
  type LoadBy,
  type Loaded,
} from './load.ts';
export { cellDialect, fileDialect } from './dialectSchema.ts';
export { checkQueryLimits } from './queryLimits.ts';
export { toColumns, type FileColumn } from './csvFile.ts';
export type { FileKind } from './examine.ts';
export { examineUpload, uploadFolder, type ExaminedFile } from './upload.ts';
export { dataTable } from './table.sql.ts';
export { queryCache, type CacheCounts } from './cache.ts';
