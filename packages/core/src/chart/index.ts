export { chartInWords, chartOption } from './chartOption.ts';
export { othersName } from './barOption.ts';
export { toneAt, toneColour, toneSigns, type ChartStyle } from './style.ts';
export { chartNote, rawText } from './series.ts';
export { chartLegend, type LegendEntry } from './legend.ts';
