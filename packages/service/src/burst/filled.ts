import { valueTypeOf, type DatasetColumn, type Value } from '@underbell/core/dataset';
import type { Cell } from '@underbell/core/filter';
import { Refusal } from '@underbell/core/refusal';
import {
  fillWorkbook,
  fitTemplate,
  LeakScanner,
  type Leak,
  type OfferedColumn,
  type TemplateFit,
  type WorkbookTemplate,
} from '@underbell/core/workbook';
import type { App } from '../platform/index.ts';
import { findTemplate, openTemplate } from '../template/index.ts';
import { noSuch } from '../access/index.ts';
import { findList, listRecipients } from './listStore.ts';
import { copyColumns, type PreparedBurst } from './prepare.ts';

/** A burst's prepared workbook, fitted to the rows that it is filled with. */
export interface FittedTemplate {
  readonly name: string;
  readonly version: number;
  readonly workbook: WorkbookTemplate;
  readonly fit: TemplateFit;
  readonly offered: readonly OfferedColumn[];
}

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

function refuseLeak([leak]: readonly Leak[], template: string): void {
  if (!leak) return;
  throw new Refusal(
    'TEMPLATE_LEAK',
    `the workbook \`${template}\` names \`${leak.value}\`, which is another recipient’s, in its part ${leak.part}`,
    {
      word: leak.value,
      pointer: leak.part,
      hint: 'nothing was sent; take the value out of the prepared workbook and load it again',
    },
  );
}

/** Fills one burst's workbook, copy by copy, and lets none pass that holds a value of somebody else. */
export class BookFiller {
  readonly #template: FittedTemplate;
  readonly #scanner: LeakScanner;

  private constructor(template: FittedTemplate, values: readonly string[]) {
    this.#template = template;
    this.#scanner = new LeakScanner(values);
  }

  static async open(app: App, burst: PreparedBurst, template: FittedTemplate): Promise<BookFiller> {
    const list = await findList(app, burst.definition.list);
    const recipients = list ? await listRecipients(app, list) : [];
    return new BookFiller(
      template,
      recipients.map((one) => one.values[burst.listColumn] ?? ''),
    );
  }

  /** @throws {Refusal} `TEMPLATE_LEAK` */
  fill(value: Value, rows: readonly (readonly Cell[])[]): Buffer {
    const { workbook, fit, offered, name } = this.#template;
    const bytes = fillWorkbook(workbook, fit, offered, rows);
    refuseLeak(this.#scanner.scan(bytes, workbook, [String(value)], rows.length), name);
    return bytes;
  }

  /** Looks before anything is made whether the workbook itself names a recipient. @throws {Refusal} `TEMPLATE_LEAK` */
  check(): void {
    const { workbook, fit, offered, name } = this.#template;
    const empty = offered.map(() => null);
    refuseLeak(this.#scanner.scan(fillWorkbook(workbook, fit, offered, [empty]), workbook, [], 1), name);
  }
}
