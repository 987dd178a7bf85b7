import type { Readable } from 'node:stream';
import type { PersonViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { readTemplate, type TemplateTarget, type WorkbookTemplate } from '@underbell/core/workbook';
import { notFound, putOwner, requireAuthor, requireRight, visibleNames } from '../access/index.ts';
import { holdName, receiveBytes, remember, type App } from '../platform/index.ts';
import { findTemplate, listTemplates, putTemplate, templateBytes, type TemplateRow } from './store.ts';

const maxBytes = 20_000_000;

const tooLarge = () =>
  new Refusal('INPUT_TOO_LARGE', `A workbook template has at most ${maxBytes / 1_000_000} MB.`, {
    hint: 'Keep a few sample rows; the rows of each copy are filled in later.',
  });

/** Loads a prepared workbook as the next version of a template; one that cannot be filled safely changes nothing. */
export async function loadTemplate(
  app: App,
  person: PersonViewer,
  upload: Readable,
  options: { name: string; fileName: string; target: TemplateTarget; origin: string },
): Promise<TemplateRow> {
  const { name, fileName, target } = options;
  const known = await findTemplate(app, name);
  if (known) await requireRight(app, person, 'edit', 'template', name);
  else await requireAuthor(app, person, 'template');
  const bytes = await receiveBytes(upload, { maxBytes, tooLarge: tooLarge() });
  const { columns, warnings } = readTemplate(bytes, target);
  await app.records.transaction(async () => {
    await holdName(app, { kind: 'template', name }, known !== undefined);
    const template = { name, target, fileName, bytes, summary: { columns, warnings }, loadedBy: person.email };
    const version = await putTemplate(app, template);
    if (!known) await putOwner(app, person, { kind: 'template', name });
    await remember(app, {
      who: person.email,
      what: `version ${version} loaded`,
      thing: `template ${name}`,
      origin: options.origin,
      after: { fileName, target, bytes: bytes.length },
    });
  });
  return (await findTemplate(app, name))!;
}

/** A template that somebody may use. @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED` */
export async function requireTemplate(app: App, person: PersonViewer, name: string): Promise<TemplateRow> {
  const found = await findTemplate(app, name);
  if (!found) {
    const all = (await listTemplates(app)).map((one) => one.name);
    throw notFound('template', name, await visibleNames(app, person, 'template', all));
  }
  await requireRight(app, person, 'view', 'template', name);
  return found;
}

export async function seenTemplates(app: App, person: PersonViewer): Promise<TemplateRow[]> {
  const all = await listTemplates(app);
  const names = await visibleNames(
    app,
    person,
    'template',
    all.map((one) => one.name),
  );
  return all.filter((one) => names.includes(one.name));
}

/** The workbook as its author loaded it, with the author's rows: for those who may change it. */
export async function fetchTemplate(app: App, person: PersonViewer, name: string) {
  const found = await requireTemplate(app, person, name);
  await requireRight(app, person, 'edit', 'template', name);
  return { fileName: found.fileName, bytes: await templateBytes(app, name, found.version) };
}

/** A template ready to be filled. */
export async function openTemplate(app: App, name: string, version: number): Promise<WorkbookTemplate> {
  const found = await findTemplate(app, name, version);
  if (!found) throw notFound('template', name, []);
  return readTemplate(await templateBytes(app, name, version), found.target);
}
