import { head, main, xml } from './ooxml.ts';
import type { Highlight, SheetColumn } from './sheet.ts';

/** Looks of coloured cells, in the order in which rules name them. */
export const tones = ['good', 'warn', 'bad', 'quiet'] as const;
/** Dark text on a light ground of the same colour, so that either can be told without the other. */
const toneXml: Record<Highlight['tone'], string> = {
  good: '<dxf><font><color rgb="FF14532D"/></font><fill><patternFill><bgColor rgb="FFDCF2E3"/></patternFill></fill></dxf>',
  warn: '<dxf><font><color rgb="FF6B4A00"/></font><fill><patternFill><bgColor rgb="FFFBEBC8"/></patternFill></fill></dxf>',
  bad: '<dxf><font><b/><color rgb="FF8F1D14"/></font><fill><patternFill><bgColor rgb="FFFADCD8"/></patternFill></fill></dxf>',
  quiet: '<dxf><font><color rgb="FF5B6B73"/></font></dxf>',
};

/** Number formats of all sheets, each once; the first styles are fixed. */
export class Styles {
  readonly #formats = new Map<string, number>();
  static readonly fixed = { plain: 0, heading: 1, date: 2, instant: 3, sum: 4, rightHeading: 5 };

  number(format: string | undefined): number {
    const code = format ?? '#,##0.##########';
    const known = this.#formats.get(code) ?? this.#formats.size;
    this.#formats.set(code, known);
    return 6 + known * 2;
  }

  /** The same number in a sum line. */
  sum(format: string | undefined): number {
    return this.number(format) + 1;
  }

  toXml(): string {
    const codes = [...this.#formats.keys()];
    const formats = ['yyyy\\-mm\\-dd', 'yyyy\\-mm\\-dd\\ hh:mm', ...codes].map(
      (code, i) => `<numFmt numFmtId="${164 + i}" formatCode="${xml(code)}"/>`,
    );
    const cell = (format: number, font = 0, border = 0, inner = '') =>
      `<xf numFmtId="${format}" fontId="${font}" fillId="0" borderId="${border}" xfId="0" applyNumberFormat="1"${inner === '' ? '/>' : ` applyAlignment="1">${inner}</xf>`}`;
    const cells = [
      cell(0),
      cell(0, 1, 1),
      cell(164),
      cell(165),
      cell(0, 1, 2),
      cell(0, 1, 1, '<alignment horizontal="right"/>'),
      ...codes.flatMap((_, i) => [cell(166 + i), cell(166 + i, 1, 2)]),
    ];
    const line = (edge: string) => `<border><left/><right/>${edge}<diagonal/></border>`;
    return (
      `${head}<styleSheet xmlns="${main}"><numFmts count="${formats.length}">${formats.join('')}</numFmts>` +
      '<fonts count="2"><font><sz val="11"/><name val="Calibri"/></font><font><b/><sz val="11"/><name val="Calibri"/></font></fonts>' +
      '<fills count="2"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill></fills>' +
      `<borders count="3">${line('<top/><bottom/>')}${line('<top/><bottom style="thin"/>')}${line('<top style="thin"/><bottom/>')}</borders>` +
      '<cellStyleXfs count="1"><xf numFmtId="0" fontId="0" fillId="0" borderId="0"/></cellStyleXfs>' +
      `<cellXfs count="${cells.length}">${cells.join('')}</cellXfs>` +
      `<dxfs count="${tones.length}">${tones.map((tone) => toneXml[tone]).join('')}</dxfs></styleSheet>`
    );
  }
}

/** A heading stands where the values beneath it do: numbers and dates at the right. */
export const headingStyle = ({ type }: SheetColumn): number =>
  type === 'text' || type === 'boolean' ? Styles.fixed.heading : Styles.fixed.rightHeading;

export function styleOf(column: SheetColumn, styles: Styles, isSum: boolean): number {
  if (column.type === 'date') return Styles.fixed.date;
  if (column.type === 'instant') return Styles.fixed.instant;
  if (column.type === 'number') return isSum ? styles.sum(column.format) : styles.number(column.format);
  return isSum ? Styles.fixed.sum : Styles.fixed.plain;
}
