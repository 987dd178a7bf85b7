import {
  bigint,
  bigserial,
  boolean,
  defineModel,
  double,
  filled,
  instant,
  integer,
  key,
  nullable,
  oneOf,
  real,
  refersTo,
  text,
  type RowOf,
} from '../platform/records/index.ts';

export const meterRows = defineModel('meter', {
  id: bigserial(),
  at: instant(),
  kind: oneOf('view', 'refresh', 'delivery'),
  lane: oneOf('readers', 'planned'),
  report: nullable(text()),
  burst: nullable(text()),
  placement: nullable(text()),
  board: nullable(text()),
  dataset: nullable(text()),
  person: nullable(text()),
  format: nullable(text()),
  isLive: filled(boolean()),
  rowCount: filled(bigint()),
  queryMs: filled(real()),
  renderMs: filled(real()),
  bytes: filled(bigint()),
  hits: filled(integer()),
  misses: filled(integer()),
  cpuMs: filled(real()),
});
export type MeterRow = RowOf<typeof meterRows>;

/** How much computing the things of a folder may take. */
export const costLimits = defineModel('cost_limits', {
  folderName: key(refersTo(text(), 'folders', 'folder')),
  per: oneOf('day', 'month'),
  warnSeconds: nullable(double()),
  stopSeconds: nullable(double()),
  warnedFor: nullable(text()),
});
export type LimitRow = RowOf<typeof costLimits>;
