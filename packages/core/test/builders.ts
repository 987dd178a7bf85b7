import type { DatasetShape } from '../src/dataset/index.ts';
import type { ReportDefinition } from '../src/report/index.ts';
import type { PersonViewer, RowRule } from '../src/access/index.ts';

/** Small valid things, to be bent by each test. */
export const sailings: DatasetShape = {
  name: 'sailings',
  columns: [
    { name: 'quay_id', type: 'text', label: 'Quay', key: 'quay' },
    { name: 'route', type: 'text' },
    { name: 'sailed_on', type: 'date', label: 'Sailed on' },
    { name: 'planned_departure', type: 'instant' },
    { name: 'passengers', type: 'integer' },
    { name: 'fares', type: 'number', unit: '€' },
    { name: 'cancelled', type: 'boolean' },
  ],
};

export function aReport(change: Partial<ReportDefinition> = {}): ReportDefinition {
  return {
    format: 'underbell-report/1',
    name: 'punctuality',
    title: 'Punctuality',
    datasets: { sailings: {} },
    parameters: [{ name: 'quay', type: 'text', key: 'quay' }],
    measures: {
      sailings: { label: 'Sailings', expression: 'count()' },
      passengers: { label: 'Passengers', expression: 'sum(passengers)' },
    },
    pages: [
      {
        name: 'overview',
        title: 'Overview',
        figures: [
          {
            kind: 'number',
            name: 'all',
            title: 'All',
            measure: 'sailings',
            at: { column: 1, row: 1, width: 3, height: 2 },
          },
          {
            kind: 'bar',
            name: 'by-route',
            title: 'By route',
            by: 'route',
            measure: 'passengers',
            at: { column: 1, row: 3, width: 6, height: 6 },
          },
        ],
      },
    ],
    ...change,
  };
}

export function aPerson(change: Partial<PersonViewer> = {}): PersonViewer {
  return {
    kind: 'person',
    id: 'p1',
    name: 'Kira Arkwell',
    email: 'kira@skerrow.example',
    isAdministrator: false,
    groups: ['Quay managers'],
    attributes: { quay: ['Q017'] },
    ...change,
  };
}

export function aRule(change: Partial<RowRule> = {}): RowRule {
  return {
    name: 'own-quay',
    dataset: 'sailings',
    appliesTo: { kind: 'group', name: 'Quay managers' },
    where: "quay_id = person('quay')",
    ...change,
  };
}

export const moment = { now: Date.parse('2026-11-23T09:00:00Z'), today: '2026-11-23' };
