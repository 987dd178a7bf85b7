export { writeWorkbook, type Sheet } from './workbook.ts';
export { fillWorkbook, fitTemplate, type OfferedColumn, type TemplateFit } from './fill.ts';
export { LeakScanner, type Leak } from './leaks.ts';
export { readTemplate, type TemplateColumn, type TemplateTarget, type WorkbookTemplate } from './template.ts';
