import { cuttingColumns, recipientsOfCopies, textsOf } from '@underbell/core/burst';
import { valueTypeOf, type DatasetColumn } from '@underbell/core/dataset';
import { fitTemplate, type OfferedColumn } from '@underbell/core/workbook';
import type { App } from '../platform/index.ts';
import { findTemplate, openTemplate } from '../template/index.ts';
import { noSuch } from '../access/index.ts';
import type { FillerKit, FittedTemplate } from './bookFiller.ts';
import { findList, listRecipients } from './listStore.ts';
import { copyColumns, type PreparedBurst } from './prepare.ts';

const offer = ({ name, label, unit, type }: DatasetColumn): OfferedColumn => ({
  name,
  ...(label ? { label } : {}),
  ...(unit ? { unit } : {}),
  type: valueTypeOf(type),
});

/**
 * The prepared workbook of a burst that fills one.
 *
 * @param version - that a run is bound to; the newest when left out
 * @throws {Refusal} `NOT_FOUND`, `TEMPLATE_UNFIT`
 */
export async function fittedTemplate(
  app: App,
  burst: PreparedBurst,
  version?: number,
): Promise<FittedTemplate | undefined> {
  const { template: name } = burst.definition;
  if (name === undefined) return undefined;
  const found = await findTemplate(app, name, version);
  if (!found) throw noSuch('template', name, []);
  const workbook = await openTemplate(app, name, found.version);
  const offered = copyColumns(burst).map(offer);
  return { name, version: found.version, workbook, fit: fitTemplate(workbook, offered), offered };
}

/** What filling the copies of a burst takes. */
export async function fillerKit(app: App, burst: PreparedBurst, template: FittedTemplate): Promise<FillerKit> {
  const { definition } = burst;
  const list = await findList(app, definition.list);
  const recipients = list ? await listRecipients(app, list) : [];
  const columns = cuttingColumns(definition);
  const values = recipientsOfCopies(definition, recipients).flatMap((one) =>
    columns.flatMap((column) => textsOf(definition, one, column)),
  );
  return { template, values: [...new Set(values)] };
}
