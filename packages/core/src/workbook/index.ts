export {
  WorkbookWriter,
  writeWorkbook,
  type AboutWorkbook,
  type Highlight,
  type Sheet,
  type SheetColumn,
} from './workbook.ts';
export { fillWorkbook, fitTemplate, type OfferedColumn, type TemplateFit } from './fill.ts';
export { LeakScanner, type Leak } from './leaks.ts';
export { readTemplate, type TemplateColumn, type TemplateTarget, type WorkbookTemplate } from './template.ts';
