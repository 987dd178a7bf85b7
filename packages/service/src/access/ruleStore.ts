import type { Mask, MaskHolder, RowRule } from '@underbell/core/access';
import { recall, rows, type App } from '../platform/index.ts';
import { emailsById, idOfEmail } from './store.ts';
import { masks, rowRules } from './models.ts';

/** Persons are kept by number; one that is not known is named by it, and so is nobody. */
const holderOf = <Kind extends string>(kind: Kind | 'everyone', name: string, emails: ReadonlyMap<string, string>) =>
  kind === 'everyone'
    ? { kind: 'everyone' as const }
    : { kind, name: kind === 'person' ? (emails.get(name) ?? name) : name };

async function nameOf(app: App, holder: { kind: string; name?: string }): Promise<string> {
  const { kind, name = '' } = holder;
  return kind === 'person' ? idOfEmail(app, name) : name;
}

export async function listRules(app: App, dataset?: string): Promise<RowRule[]> {
  const where = dataset === undefined ? {} : { datasetName: dataset };
  const [found, emails] = await Promise.all([
    rows(rowRules(app), { where, order: ['datasetName', 'name'] }),
    emailsById(app),
  ]);
  return found.map((row) => ({
    name: row.name,
    dataset: row.datasetName,
    appliesTo: holderOf(row.appliesKind, row.appliesName, emails) as RowRule['appliesTo'],
    where: row.condition,
  }));
}

export async function putRule(app: App, rule: RowRule): Promise<void> {
  const { name, dataset, appliesTo, where } = rule;
  await rowRules(app).upsert({
    name,
    datasetName: dataset,
    appliesKind: appliesTo.kind,
    appliesName: await nameOf(app, appliesTo),
    condition: where,
  });
}

export async function removeRule(app: App, dataset: string, name: string): Promise<boolean> {
  return (await rowRules(app).destroy({ where: { datasetName: dataset, name } })) > 0;
}

export async function listMasks(app: App, dataset?: string): Promise<Mask[]> {
  const where = dataset === undefined ? {} : { datasetName: dataset };
  const [found, emails] = await Promise.all([
    rows(masks(app), { where, order: ['datasetName', 'name'] }),
    emailsById(app),
  ]);
  return found.map((row) => ({
    name: row.name,
    dataset: row.datasetName,
    appliesTo: holderOf(row.appliesKind, row.appliesName, emails) as MaskHolder,
    except: row.exceptGroups,
    effect: row.effect,
  }));
}

export async function putMask(app: App, mask: Mask): Promise<void> {
  const { name, dataset, appliesTo, except, effect } = mask;
  await masks(app).upsert({
    name,
    datasetName: dataset,
    appliesKind: appliesTo.kind,
    appliesName: await nameOf(app, appliesTo),
    exceptGroups: [...except],
    effect,
  });
}

export async function removeMask(app: App, dataset: string, name: string): Promise<boolean> {
  return (await masks(app).destroy({ where: { datasetName: dataset, name } })) > 0;
}

/** Everything that limits some datasets for their viewers. */
export async function limitsOn(
  app: App,
  datasets: readonly string[],
): Promise<{ readonly rules: readonly RowRule[]; readonly masks: readonly Mask[] }> {
  const found = await Promise.all(
    datasets.map((name) =>
      recall(`limits on ${name}`, () => Promise.all([listRules(app, name), listMasks(app, name)])),
    ),
  );
  return { rules: found.flatMap(([rules]) => rules), masks: found.flatMap(([, masks]) => masks) };
}

export async function renameLimit(
  app: App,
  what: 'row rule' | 'mask',
  { dataset, name }: { readonly dataset: string; readonly name: string },
  to: string,
): Promise<void> {
  const where = { datasetName: dataset, name };
  await (what === 'mask' ? masks(app).update({ name: to }, { where }) : rowRules(app).update({ name: to }, { where }));
}
