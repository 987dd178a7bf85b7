import {
  type RowRuleTest,
  type RuleVocabulary,
  decideAccess,
  EffectiveFilter,
  type PersonViewer,
} from '@underbell/core/access';
import { columnLabel } from '@underbell/core/dataset';
import {
  checkReaderFilter,
  explainInWords,
  readFilter,
  toFilterJson,
  toFilterText,
  writeFilter,
} from '@underbell/core/filter';
import { isRefusal, Refusal, suggest } from '@underbell/core/refusal';
import { findPerson, limitsOn, listAttributes, listPeople, notFound, requireRight } from '../access/index.ts';
import { momentOf, type App } from '../platform/index.ts';
import { countBetween, distinctValues, readableRevision, sampleRows } from '../dataset/index.ts';
import { checkedRule, type GivenRule } from './usecases.ts';

/** What an editor of filters offers for completion. */
export async function vocabulary(app: App, person: PersonViewer, name: string): Promise<RuleVocabulary> {
  await requireRight(app, person, 'edit', 'dataset', name);
  const { shape } = await readableRevision(app, name);
  return {
    columns: shape.columns.map((column) => ({ name: column.name, type: column.type, label: columnLabel(column) })),
    attributes: (await listAttributes(app)).map(({ name: attribute, label, type, isMany }) => ({
      name: attribute,
      label,
      type,
      isMany,
    })),
    groups: [...new Set((await listPeople(app)).flatMap((one) => one.groups))].sort(),
  };
}

/** Values of a column as the asker is shown them, for completion and pickers. */
export async function valuesOf(app: App, person: PersonViewer, name: string, column: string, starts: string) {
  await requireRight(app, person, 'view', 'dataset', name);
  const revision = await readableRevision(app, name);
  const limits = await limitsOn(app, [name]);
  const filter = EffectiveFilter.start(
    decideAccess({ dataset: revision.shape, ...limits, viewer: person, moment: momentOf(app) }),
  );
  const { columns } = filter.visible;
  const found = columns.find((one) => one.name === column);
  if (!found) {
    const names = columns.map((one) => one.name);
    throw new Refusal('FILTER_UNKNOWN_COLUMN', `Dataset “${name}” has no column “${column}”.`, {
      word: column,
      ...suggest(column, names),
    });
  }
  return { values: await distinctValues(app, { lane: 'readers', revision, filter }, found, starts) };
}

/** The filter in both forms; JSON only where its numbers fit. */
function bothForms(text: string) {
  const tree = readFilter(text);
  try {
    return { text: writeFilter(tree), json: toFilterJson(tree) };
  } catch (error) {
    if (!isRefusal(error, 'FILTER_NOT_SUPPORTED')) throw error;
    return { text: writeFilter(tree) };
  }
}

/**
 * Tries a row rule before it is saved: what was understood, how many rows it keeps and drops for a person, and some
 * of either, as the asker may see them.
 *
 * @param as - the person to try it for; the asker when left out
 */
export async function tryRule(
  app: App,
  asker: PersonViewer,
  given: GivenRule,
  as: string | undefined,
): Promise<RowRuleTest> {
  await requireRight(app, asker, 'edit', 'dataset', given.dataset);
  const rule = await checkedRule(app, { ...given, where: toFilterText(given.where) });
  const person = as === undefined ? asker : await findPerson(app, { email: as });
  if (!person) {
    const known = (await listPeople(app)).map((one) => one.email);
    throw notFound('person', as!, known);
  }
  const revision = await readableRevision(app, rule.dataset);
  const dataset = revision.shape;
  const moment = momentOf(app);
  const { rules, masks } = await limitsOn(app, [rule.dataset]);
  // The rule alone, as if it were for everyone: what its words mean for this person.
  const alone = decideAccess({
    dataset,
    rules: [{ ...rule, appliesTo: { kind: 'everyone' } }],
    masks: [],
    viewer: person,
    moment,
  });
  const together = decideAccess({
    dataset,
    rules: [...rules.filter((one) => one.name !== rule.name), rule],
    masks: [],
    viewer: person,
    moment,
  });
  const own = EffectiveFilter.start(decideAccess({ dataset, rules, masks, viewer: asker, moment }));
  const request = (filter: EffectiveFilter) => ({ lane: 'readers' as const, revision, filter });
  const kept = EffectiveFilter.start(alone);
  const counts = await countBetween(app, request(kept), request(EffectiveFilter.start(together)));
  const rows = counts.both + counts.onlyFirst;
  return {
    ...bothForms(rule.where),
    words: kept.explain()[0]!.words,
    for: { email: person.email, name: person.name },
    rowsTotal: revision.rowCount,
    rowsKept: rows,
    rowsDropped: revision.rowCount - rows,
    /** With all other rules of the dataset. */
    rowsTogether: counts.both + counts.onlySecond,
    together: EffectiveFilter.start(together)
      .explain()
      .map((one) => one.words),
    columns: own.visible.columns
      .slice(0, 8)
      .map((column) => ({ name: column.name, label: columnLabel(column), type: column.type })),
    kept: await sampleRows(app, request(own), kept.where, true),
    dropped: await sampleRows(app, request(own), kept.where, false),
  };
}

/** What a filter of the reader's own means, for whoever may view the dataset. */
export async function explainFilter(app: App, person: PersonViewer, name: string, filter: unknown) {
  await requireRight(app, person, 'view', 'dataset', name);
  const { shape } = await readableRevision(app, name);
  const moment = momentOf(app);
  const own = EffectiveFilter.start(
    decideAccess({ dataset: shape, ...(await limitsOn(app, [name])), viewer: person, moment }),
  );
  const text = toFilterText(filter);
  const typed = checkReaderFilter(readFilter(text), { dataset: own.visible, text, ...moment });
  return { ...bothForms(text), words: explainInWords(typed) };
}
