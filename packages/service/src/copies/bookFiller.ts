import type { Cell } from '@underbell/core/filter';
import { Refusal } from '@underbell/core/refusal';
import {
  fillWorkbook,
  LeakScanner,
  type Leak,
  type OfferedColumn,
  type TemplateFit,
  type WorkbookTemplate,
} from '@underbell/core/workbook';

/** A prepared workbook, fitted to the rows that it is filled with. */
export interface FittedTemplate {
  readonly name: string;
  readonly version: number;
  readonly workbook: WorkbookTemplate;
  readonly fit: TemplateFit;
  readonly offered: readonly OfferedColumn[];
}

/** All that filling takes, as plain data. */
export interface FillerKit {
  readonly template: FittedTemplate;
  /** The values that tell the recipients of the whole list apart. */
  readonly values: readonly string[];
}

function refuseLeak([leak]: readonly Leak[], template: string): void {
  if (!leak) return;
  throw new Refusal(
    'TEMPLATE_LEAK',
    `Part ${leak.part} of workbook template “${template}” contains “${leak.value}”, which belongs to another recipient.`,
    {
      word: leak.value,
      pointer: leak.part,
      hint: 'No such copy is sent. Remove the value from the workbook template and upload it again.',
    },
  );
}

/** Fills one prepared workbook, copy by copy, and lets none pass that holds a value of somebody else. */
export class BookFiller {
  readonly #template: FittedTemplate;
  readonly #scanner: LeakScanner;

  constructor({ template, values }: FillerKit) {
    this.#template = template;
    this.#scanner = new LeakScanner(values);
  }

  /** @param own - the values of this copy's recipient @throws {Refusal} `TEMPLATE_LEAK` */
  fill(own: readonly string[], rows: readonly (readonly Cell[])[]): Buffer {
    const { workbook, fit, offered, name } = this.#template;
    const bytes = fillWorkbook(workbook, fit, offered, rows);
    refuseLeak(this.#scanner.scan(bytes, workbook, own, rows.length), name);
    return bytes;
  }

  /** Looks before anything is made whether the workbook itself names a recipient. @throws {Refusal} `TEMPLATE_LEAK` */
  check(): void {
    const { workbook, fit, offered, name } = this.#template;
    const empty = offered.map(() => null);
    refuseLeak(this.#scanner.scan(fillWorkbook(workbook, fit, offered, [empty]), workbook, [], 1), name);
  }
}
