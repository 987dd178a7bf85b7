export { writeWorkbook, type Sheet } from './workbook.ts';
