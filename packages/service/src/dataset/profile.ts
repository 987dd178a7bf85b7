import type { PersonViewer } from '@underbell/core/access';
import { type ColumnProfile, valueTypeOf, type DatasetShape } from '@underbell/core/dataset';
import type { FigureQuery } from '@underbell/core/report';
import type { App } from '../platform/index.ts';
import { readRows } from './rowFigures.ts';
import { profileOf } from './rowValues.ts';
import { ownRows } from './usecases.ts';

const previewSize = 50;

/** The columns of a dataset as a query for its rows. */
export function rowsQuery(shape: DatasetShape, limit: number): FigureQuery {
  const columns = shape.columns.map((column) => {
    const type = valueTypeOf(column.type);
    return {
      name: column.name,
      label: column.label ?? column.name,
      type,
      role: 'cell',
      node: { kind: 'column', type, column },
    } as const;
  });
  return { dataset: shape.name, columns, isGrouped: false, order: [], limit };
}

/** The first rows that a person may see, masked and filtered. */
export async function previewRows(app: App, person: PersonViewer, name: string, where: string | undefined) {
  const request = await ownRows(app, person, name, where);
  const { visible } = request.filter;
  const rows = visible.columns.length === 0 ? [] : await readRows(app, request, rowsQuery(visible, previewSize));
  return { columns: visible.columns, rows, limits: request.filter.explain(), masks: request.filter.masking.words };
}

/** What stands in each column of the rows that a person may see. */
export async function profileColumns(app: App, person: PersonViewer, name: string): Promise<ColumnProfile[]> {
  return profileOf(app, await ownRows(app, person, name, undefined));
}
