export { chartInWords, chartOption } from './chartOption.ts';
export { othersName } from './barOption.ts';
export { toneAt, toneColour, toneSigns, type ChartLook } from './look.ts';
export { leftAwayWords, rawText } from './series.ts';
export { chartLegend, type LegendEntry } from './legend.ts';
