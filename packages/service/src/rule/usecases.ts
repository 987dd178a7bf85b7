import {
  checkMask,
  checkRule,
  type Mask,
  type MaskHolder,
  type PersonViewer,
  type RowRule,
} from '@underbell/core/access';
import { toFilterText } from '@underbell/core/filter';
import { Refusal } from '@underbell/core/refusal';
import {
  attributeNames,
  listMasks,
  listRules,
  notFound,
  putMask,
  putRule,
  removeMask,
  removeRule,
  renameLimit,
  requireHolder,
  requireRight,
} from '../access/index.ts';
import { findDataset } from '../dataset/index.ts';
import { lockResource, remember, type App, type AuditEntry } from '../platform/index.ts';

/** Addresses are kept in lower case, so that a rule for a person is found by any spelling. */
function inLowerCase<T extends { kind: string; name?: string }>(holder: T): T {
  return holder.kind === 'person' ? { ...holder, name: holder.name?.toLowerCase() } : holder;
}

async function change(app: App, entry: AuditEntry, work: () => Promise<unknown>): Promise<void> {
  await app.records.transaction(async () => {
    await work();
    await remember(app, entry);
  });
}

/** A row rule as somebody gives it: its condition is CQL2 text, or CQL2 JSON. */
export type GivenRule = Omit<RowRule, 'where'> & { readonly where: string | object };

/** Checks a rule with every name in it. @returns it as it would be kept: CQL2 text */
export async function checkedRule(app: App, rule: GivenRule): Promise<RowRule> {
  const dataset = await findDataset(app, rule.dataset);
  await requireHolder(app, rule.appliesTo);
  const where = toFilterText(rule.where);
  checkRule(where, dataset, await attributeNames(app));
  return { ...rule, where, appliesTo: inLowerCase(rule.appliesTo) };
}

/** Saves a row rule after checking every name in it. */
export async function saveRule(app: App, person: PersonViewer, given: GivenRule, origin: string): Promise<RowRule> {
  await requireRight(app, person, 'edit', 'dataset', given.dataset);
  const rule = await checkedRule(app, given);
  const before = (await listRules(app, rule.dataset)).find((one) => one.name === rule.name);
  const entry = {
    who: person.email,
    what: 'row rule saved',
    thing: `dataset ${rule.dataset}`,
    origin,
    before,
    after: rule,
  };
  await change(app, entry, () => putRule(app, rule));
  return rule;
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
  await app.records.transaction(async () => {
    // Two who take rules away at once would otherwise each leave the other's as the last.
    await lockResource(app, 'dataset', rule.dataset);
    const rules = await listRules(app, rule.dataset);
    const before = rules.find((one) => one.name === rule.name);
    if (!before) {
      const known = rules.map((one) => one.name);
      throw notFound('row rule', rule.name, known);
    }
    if (rules.length === 1 && !rule.isConfirmed) {
      throw new Refusal(
        'IN_USE',
        `“${rule.name}” is the last row rule of dataset “${rule.dataset}”. Without it, all viewers see all rows.`,
        { hint: 'Confirm to delete it.' },
      );
    }
    await removeRule(app, rule.dataset, rule.name);
    const entry = { who: person.email, what: 'row rule deleted', thing: `dataset ${rule.dataset}`, origin, before };
    await remember(app, entry);
  });
}

/** Saves a mask after checking its columns and holders. */
export async function saveMask(app: App, person: PersonViewer, given: Mask, origin: string): Promise<Mask> {
  await requireRight(app, person, 'edit', 'dataset', given.dataset);
  await requireHolder(app, given.appliesTo);
  for (const name of given.except) await requireHolder(app, { kind: 'group', name });
  checkMask(given, await findDataset(app, given.dataset));
  const mask: Mask = { ...given, appliesTo: inLowerCase<MaskHolder>(given.appliesTo) };
  const before = (await listMasks(app, mask.dataset)).find((one) => one.name === mask.name);
  const entry = {
    who: person.email,
    what: 'mask saved',
    thing: `dataset ${mask.dataset}`,
    origin,
    before,
    after: mask,
  };
  await change(app, entry, () => putMask(app, mask));
  return mask;
}

/** Takes a mask away; its viewers see the column again. */
export async function dropMask(
  app: App,
  person: PersonViewer,
  mask: { dataset: string; name: string },
  origin: string,
): Promise<void> {
  await requireRight(app, person, 'own', 'dataset', mask.dataset);
  const masks = await listMasks(app, mask.dataset);
  const before = masks.find((one) => one.name === mask.name);
  if (!before) {
    const known = masks.map((one) => one.name);
    throw notFound('mask', mask.name, known);
  }
  const entry = { who: person.email, what: 'mask deleted', thing: `dataset ${mask.dataset}`, origin, before };
  await change(app, entry, () => removeMask(app, mask.dataset, mask.name));
}

/** Gives a row rule or mask another name. @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED`, `NAME_TAKEN` */
export async function nameLimit(
  app: App,
  person: PersonViewer,
  limit: { readonly what: 'row rule' | 'mask'; readonly dataset: string; readonly name: string },
  to: string,
  origin: string,
): Promise<void> {
  const { what, dataset, name } = limit;
  await requireRight(app, person, 'edit', 'dataset', dataset);
  await app.records.transaction(async () => {
    await lockResource(app, 'dataset', dataset);
    const names = (await (what === 'mask' ? listMasks(app, dataset) : listRules(app, dataset))).map((one) => one.name);
    if (!names.includes(name)) throw notFound(what, name, names);
    if (to === name) return;
    if (names.includes(to))
      throw new Refusal('NAME_TAKEN', `A ${what} named “${to}” already exists.`, { pointer: '/name', word: to });
    await renameLimit(app, what, { dataset, name }, to);
    const change = { before: { name }, after: { name: to } };
    await remember(app, { who: person.email, what: `${what} renamed`, thing: `dataset ${dataset}`, origin, ...change });
  });
}
