export { WorkbookWriter, writeWorkbook, type AboutWorkbook } from './workbook.ts';
export { packParts } from './pack.ts';
export type { Highlight, Sheet, SheetColumn } from './sheet.ts';
export { fillWorkbook, fitTemplate, type OfferedColumn, type TemplateFit } from './fill.ts';
export { LeakScanner, type Leak } from './leaks.ts';
export { readTemplate, type WorkbookTemplate } from './template.ts';
export type { TemplateColumn, TemplateTarget } from '../template/index.ts';
export { heading, toSheet } from './figureSheet.ts';
