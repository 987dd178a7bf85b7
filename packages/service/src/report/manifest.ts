import { renamedInReport, validateReport } from '@underbell/core/report';
import type { DatasetShape } from '@underbell/core/dataset';
import { listDatasets } from '../dataset/index.ts';
import {
  lostBy,
  type App,
  type Capability,
  type ColumnsChange,
  type Impact,
  type ThingTexts,
  type ThingUse,
} from '../platform/index.ts';
import { reportRoutes } from './routes.ts';
import { currentDefinitions, rewriteEditions } from './store.ts';
import { reports, editions } from './models.ts';

const texts = async (app: App): Promise<ThingTexts[]> =>
  (await currentDefinitions(app)).map(({ name, title, description, pages, measures }) => ({
    name,
    title,
    description: description ?? '',
    inside: [
      ...pages.map((page) => ({ where: 'page', text: page.title })),
      ...pages.flatMap((page) => page.figures.map((figure) => ({ where: 'figure', text: figure.title }))),
      ...Object.values(measures).map((measure) => ({ where: 'measure', text: measure.label })),
    ],
  }));

const uses = async (app: App): Promise<ThingUse[]> =>
  (await currentDefinitions(app)).flatMap(({ name, datasets }) =>
    Object.keys(datasets).map((dataset): ThingUse => ({
      by: { kind: 'report', name },
      of: { kind: 'dataset', name: dataset },
      what: 'reads it',
    })),
  );

async function losses(app: App, change: ColumnsChange): Promise<Impact[]> {
  const { name } = change.before;
  const shapes = new Map<string, DatasetShape>((await listDatasets(app)).map((one) => [one.name, one]));
  const users = (await currentDefinitions(app)).filter((one) => Object.hasOwn(one.datasets, name));
  return users.flatMap((definition) =>
    lostBy(
      change,
      `report ${definition.name}`,
      (shape) => void validateReport(definition, (one) => (one === name ? shape : shapes.get(one))),
    ),
  );
}

/** Reports: their editions, published, compared, shown again and retired. */
export const report: Capability = {
  name: 'report',
  models: [reports, editions],
  routes: reportRoutes,
  things: [{ kind: 'report', model: reports, folder: 'folderName', texts }],
  references: {
    uses,
    losses,
    follow: (app, thing, to) => rewriteEditions(app, thing, (definition) => renamedInReport(definition, thing, to)),
  },
};
