import { valueTypeOf, type DatasetColumn } from '@underbell/core/dataset';
import { fitTemplate, type OfferedColumn } from '@underbell/core/workbook';
import type { App } from '../platform/index.ts';
import { findTemplate, openTemplate } from '../template/index.ts';
import { notFound } from '../access/index.ts';
import type { FittedTemplate } from './bookFiller.ts';
import { copyColumns } from './filters.ts';
import type { CopyJob } from './job.ts';

const offer = ({ name, label, unit, type }: DatasetColumn): OfferedColumn => ({
  name,
  ...(label ? { label } : {}),
  ...(unit ? { unit } : {}),
  type: valueTypeOf(type),
});

/**
 * The prepared workbook of a job that fills one.
 *
 * @param version - that a run is bound to; the newest when left out
 * @throws {Refusal} `NOT_FOUND`, `TEMPLATE_INVALID`
 */
export async function loadFillableTemplate(
  app: App,
  job: CopyJob,
  version?: number,
): Promise<FittedTemplate | undefined> {
  const { template: name } = job;
  if (name === undefined) return undefined;
  const found = await findTemplate(app, name, version);
  if (!found) throw notFound('template', name, []);
  const workbook = await openTemplate(app, name, found.version);
  const offered = copyColumns(job).map(offer);
  return { name, version: found.version, workbook, fit: fitTemplate(workbook, offered), offered };
}
