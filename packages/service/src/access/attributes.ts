import type { PersonViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { changeNames, forgetFormerNames, keepFormerName, lockResource, remember, type App } from '../platform/index.ts';
import { holdersOf } from './attributes.sql.ts';
import { rowRules } from './models.ts';
import { notFound, requireAdministrator } from './rights.ts';
import { listRules } from './ruleStore.ts';
import { attributeNames, dropAttribute, followAttribute } from './store.ts';

const asksFor = (name: string) => new RegExp(`\\b(person\\(\\s*')${name}('\\s*\\))`, 'gi');

/** Who holds an attribute, or looks at it: nothing may, when it goes. */
async function usersOf(app: App, name: string): Promise<string[]> {
  const rules = (await listRules(app)).filter((one) => asksFor(name).test(one.where));
  return [...rules.map((one) => `row rule ${one.name} of ${one.dataset}`), ...(await holdersOf(app, name))];
}

async function requireAttribute(app: App, by: PersonViewer, name: string): Promise<void> {
  requireAdministrator(by);
  const names = await attributeNames(app);
  if (!names.includes(name)) throw notFound('attribute', name, names);
}

/** @throws {Refusal} `NOT_FOUND`, `IN_USE` while a person has it or a row rule looks at it */
export async function takeAttribute(app: App, by: PersonViewer, name: string, origin: string): Promise<void> {
  await app.records.transaction(async () => {
    await lockResource(app, 'attribute', name);
    await requireAttribute(app, by, name);
    const users = await usersOf(app, name);
    if (users.length > 0)
      throw new Refusal('IN_USE', `User attribute “${name}” is used by ${users.slice(0, 5).join(', ')}.`, {
        word: name,
        hint: 'Remove its values first.',
      });
    await dropAttribute(app, name);
    await forgetFormerNames(app, { kind: 'attribute', name });
    await remember(app, { who: by.email, what: 'user attribute deleted', thing: `attribute ${name}`, origin });
  });
}

/** Gives an attribute another name, in people and in row rules. @throws {Refusal} `NOT_FOUND`, `NAME_TAKEN` */
export async function nameAttribute(
  app: App,
  by: PersonViewer,
  name: string,
  to: string,
  origin: string,
): Promise<void> {
  await app.records.transaction(async () => {
    await changeNames(app);
    for (const one of [name, to].sort()) await lockResource(app, 'attribute', one);
    await requireAttribute(app, by, name);
    if (to === name) return;
    if ((await attributeNames(app)).includes(to))
      throw new Refusal('NAME_TAKEN', `A user attribute named “${to}” already exists.`, { pointer: '/name', word: to });
    await followAttribute(app, name, to);
    await keepFormerName(app, { kind: 'attribute', name }, to);
    for (const rule of await listRules(app)) {
      const where = rule.where.replaceAll(asksFor(name), `$1${to}$2`);
      if (where !== rule.where)
        await rowRules(app).update({ condition: where }, { where: { datasetName: rule.dataset, name: rule.name } });
    }
    const change = { before: { name }, after: { name: to } };
    await remember(app, { who: by.email, what: 'user attribute renamed', thing: `attribute ${to}`, origin, ...change });
  });
}
