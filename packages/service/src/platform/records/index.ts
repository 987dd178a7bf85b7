export {
  bigint,
  bigserial,
  boolean,
  bytes,
  day,
  double,
  filled,
  instant,
  integer,
  json,
  key,
  nullable,
  oneOf,
  real,
  refersTo,
  serial,
  text,
  uuid,
  word,
} from './columns.ts';
export { openRecords, outsideTransaction } from './connection.ts';
export { amongNames, changeNames } from './namesVersion.sql.ts';
export { advisoryLocks, lockAll, lockResource } from './locks.sql.ts';
export {
  all,
  declaredModels,
  defineModel,
  highest,
  one,
  plain,
  rows,
  type AnyModel,
  type RecordModel,
  type RowOf,
} from './model.ts';
export { querySql } from './query.sql.ts';
export { renameElement, renameKey, renameWord } from './renamed.sql.ts';
