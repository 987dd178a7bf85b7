import { checkRule, type Grant, type PersonViewer, type RecordRule } from '@underbell/core/access';
import { Refusal, suggest } from '@underbell/core/refusal';
import { findDataset } from '../dataset/store.ts';
import { remember, type App } from '../platform/index.ts';
import { noSuch, requireRight } from './rights.ts';
import {
  attributeNames,
  findPerson,
  groupNames,
  listPeople,
  listRules,
  putGrant,
  putRule,
  removeRule,
} from './store.ts';

/** Saves a record rule after checking every name in it. */
export async function saveRule(app: App, person: PersonViewer, rule: RecordRule, origin: string): Promise<void> {
  await requireRight(app, person, 'edit', 'dataset', rule.dataset);
  const dataset = await findDataset(app, rule.dataset);
  const { appliesTo } = rule;
  if (appliesTo.kind === 'group') {
    const groups = await groupNames(app);
    if (!groups.includes(appliesTo.name)) throw noSuch('group', appliesTo.name, groups);
  }
  if (appliesTo.kind === 'person' && !(await findPerson(app, { email: appliesTo.name }))) {
    throw noSuch(
      'person',
      appliesTo.name,
      (await listPeople(app)).map((one) => one.email),
    );
  }
  checkRule(rule.where, dataset, await attributeNames(app));
  const before = (await listRules(app, rule.dataset)).find((one) => one.name === rule.name);
  await app.records.transaction(async (transaction) => {
    await putRule(app, rule, transaction);
    await remember(
      app,
      { who: person.email, what: 'record rule saved', thing: `dataset ${rule.dataset}`, origin, before, after: rule },
      transaction,
    );
  });
}

/**
 * Takes a rule away.
 *
 * @throws {Refusal} `IN_USE` for the last rule of a dataset, unless confirmed: everyone with the report would see every row
 */
export async function dropRule(
  app: App,
  person: PersonViewer,
  rule: { dataset: string; name: string; isConfirmed: boolean },
  origin: string,
): Promise<void> {
  await requireRight(app, person, 'own', 'dataset', rule.dataset);
  const rules = await listRules(app, rule.dataset);
  const before = rules.find((one) => one.name === rule.name);
  if (!before)
    throw noSuch(
      'record rule',
      rule.name,
      rules.map((one) => one.name),
    );
  if (rules.length === 1 && !rule.isConfirmed) {
    throw new Refusal(
      'IN_USE',
      `\`${rule.name}\` is the last rule of \`${rule.dataset}\`; without it every viewer sees every row`,
      {
        hint: 'confirm that this is meant',
      },
    );
  }
  await app.records.transaction(async (transaction) => {
    await removeRule(app, rule.dataset, rule.name, transaction);
    await remember(
      app,
      { who: person.email, what: 'record rule removed', thing: `dataset ${rule.dataset}`, origin, before },
      transaction,
    );
  });
}

/** Gives a right, by somebody who owns the thing. */
export async function giveGrant(app: App, person: PersonViewer, grant: Grant, origin: string): Promise<void> {
  await requireRight(app, person, 'own', grant.thing.kind, grant.thing.name);
  const { holder } = grant;
  if (holder.kind === 'group' && !(await groupNames(app)).includes(holder.name))
    throw noSuch('group', holder.name, await groupNames(app));
  if (holder.kind === 'person' && !(await findPerson(app, { email: holder.name }))) {
    const known = (await listPeople(app)).map((one) => one.email);
    throw new Refusal('NOT_FOUND', `there is no person \`${holder.name}\``, {
      word: holder.name,
      ...suggest(holder.name, known),
    });
  }
  await app.records.transaction(async (transaction) => {
    await putGrant(app, grant, transaction);
    await remember(
      app,
      {
        who: person.email,
        what: 'right given',
        thing: `${grant.thing.kind} ${grant.thing.name}`,
        origin,
        after: grant,
      },
      transaction,
    );
  });
}
