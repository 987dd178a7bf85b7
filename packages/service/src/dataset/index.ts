export { datasetRoutes } from './routes.ts';
export { columnNames, readCsv, withUpload } from './load.ts';
export {
  copyRows,
  countBetween,
  countRowsPerLimit,
  countRowsPerValue,
  readFigure,
  readFigurePerValue,
  type RowRequest,
} from './road.ts';
export { findDataset, listDatasets, readableRevision, type Revision } from './store.ts';
export { defineDataset, refreshDataset } from './usecases.ts';
export { dataTable } from './table.sql.ts';
