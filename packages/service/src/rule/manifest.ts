import { checkMask, checkRule } from '@underbell/core/access';
import { attributeNames, listMasks, listRules } from '../access/index.ts';
import { lostBy, type App, type Capability, type ColumnsChange, type Impact } from '../platform/index.ts';
import { ruleRoutes } from './routes.ts';

async function losses(app: App, change: ColumnsChange): Promise<Impact[]> {
  const { name } = change.before;
  const [rules, masks, attributes] = await Promise.all([
    listRules(app, name),
    listMasks(app, name),
    attributeNames(app),
  ]);
  return [
    ...rules.flatMap((rule) =>
      lostBy(change, `rule ${rule.name}`, (shape) => checkRule(rule.where, shape, attributes)),
    ),
    ...masks.flatMap((mask) => lostBy(change, `mask ${mask.name}`, (shape) => checkMask(mask, shape))),
  ];
}

/** Which rows and columns of a dataset each viewer sees. */
export const rule: Capability = { name: 'rule', routes: ruleRoutes, references: { losses } };
