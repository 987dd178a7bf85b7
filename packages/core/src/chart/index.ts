export { chartInWords, chartOption, type ChartLook } from './chartOption.ts';
