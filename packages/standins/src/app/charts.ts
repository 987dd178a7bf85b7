import { escapeHtml } from '../html.ts';
import type { WorksQuay } from './setup.ts';

/** Charts of the app's own numbers. */
export const ownCharts = [
  { name: 'berths', title: 'Berths by district' },
  { name: 'closed', title: 'Quays closed for the winter' },
] as const;
export type OwnChart = (typeof ownCharts)[number]['name'];

function numbersOf(name: OwnChart, quays: readonly WorksQuay[]): [string, number][] {
  const found = new Map<string, number>();
  for (const quay of quays) {
    const value = name === 'berths' ? quay.berths : Number(quay.isClosed);
    found.set(quay.district, (found.get(quay.district) ?? 0) + value);
  }
  return [...found].sort(([a], [b]) => a.localeCompare(b));
}

const rowHeight = 30;
const labelWidth = 150;
const barWidth = 330;

/** A bar chart as a drawing. */
export function drawChart(name: OwnChart, quays: readonly WorksQuay[]): string {
  const numbers = numbersOf(name, quays);
  const most = Math.max(1, ...numbers.map(([, value]) => value));
  const bars = numbers.map(([district, value], i) => {
    const y = i * rowHeight;
    const width = (value / most) * barWidth;
    return `<text x="${labelWidth - 8}" y="${y + 19}" text-anchor="end">${escapeHtml(district)}</text><rect x="${labelWidth}" y="${y + 5}" width="${width}" height="19" fill="#3d5a80"/><text x="${labelWidth + width + 6}" y="${y + 19}">${value}</text>`;
  });
  const height = numbers.length * rowHeight;
  return `<svg viewBox="0 0 ${labelWidth + barWidth + 50} ${height}" role="img" aria-label="${escapeHtml(ownCharts.find((one) => one.name === name)!.title)}" style="width:100%;max-width:40rem;font:14px 'Source Sans 3',system-ui,sans-serif">${bars.join('')}</svg>`;
}
