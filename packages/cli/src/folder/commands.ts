import type { BinnedThing, Collection, FolderPage, FoundThing, ShownFolder, ThingUser } from '@underbell/core/folder';
import type { Command } from 'commander';
import { trashableKinds } from '@underbell/core/access';
import { collect } from '../platform/files.ts';
import { line, plural, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

function addFind(program: Command): void {
  program
    .command('find <words...>')
    .description('find reports, boards and datasets by names, columns and descriptions')
    .action(async (words: string[], _options, command: Command) => {
      const answer = await callApi<{ found: FoundThing[] }>('GET', '/api/v1/find', {
        query: { text: words.join(' ') },
      });
      show(command, answer, ({ found }) => {
        table(found, [
          { heading: 'what', cell: (one) => one.kind },
          { heading: 'name', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'folder', cell: (one) => one.folder },
          { heading: 'found in', cell: (one) => one.because },
        ]);
        if (found.length === 0) line('Nothing found.');
      });
    });
}

interface PageOptions {
  readonly words?: string;
  readonly order?: string;
  readonly pictures?: string;
  readonly origin: string[];
  readonly origins: boolean;
}

function addFolders(program: Command): void {
  const folder = program
    .command('folder')
    .description('folders of reports, boards and datasets; rights on one hold for all in it');
  folder
    .command('list')
    .description('the folders that you may see')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ folders: ShownFolder[] }>('GET', '/api/v1/folders');
      show(command, answer, ({ folders }) =>
        table(folders, [
          { heading: 'folder', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'in', cell: (one) => one.parentName ?? '' },
        ]),
      );
    });
  folder
    .command('save <name>')
    .description('make a folder, move it, or give it another title')
    .requiredOption('--title <text>', 'what people read')
    .option('--in <folder>', 'the folder that it lies in')
    .option('--yes', 'also where more people get rights on what lies in it')
    .action(async (name: string, options: { title: string; in?: string; yes?: boolean }, command: Command) => {
      const answer = await callApi('PUT', `/api/v1/folders/${encodeURIComponent(name)}`, {
        query: { confirmed: options.yes },
        body: { title: options.title, parentName: options.in ?? null },
      });
      show(command, answer, () => line(`${name} is saved${options.in ? ` in ${options.in}` : ''}.`));
    });
  folder
    .command('show <name>')
    .description('a folder as a collection of what you may see in it')
    .action(async (name: string, _options, command: Command) => {
      const answer = await callApi<Collection>('GET', `/api/v1/collections/${encodeURIComponent(name)}`);
      show(command, answer, ({ title, words, things, folders }) => {
        line(title);
        if (words !== '') line(words);
        table(things, [
          { heading: 'what', cell: (one) => one.kind },
          { heading: 'name', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'path', cell: (one) => one.path },
        ]);
        if (folders.length > 0) line(`Folders in it: ${folders.map((one) => one.name).join(', ')}`);
      });
    });
  folder
    .command('page <name>')
    .description('set the start page of a folder; what is left out stays as it is')
    .option('--words <text>', 'what stands at its head')
    .option('--order <things>', 'what comes first, as "report takings,board harbour"')
    .option('--pictures <yes|no>', 'with small current pictures')
    .option('--origin <origin>', 'a host whose pages may frame it; may be repeated', collect, [])
    .option('--no-origins', 'no host may frame it')
    .action(async (name: string, options: PageOptions, command: Command) => {
      const path = `/api/v1/folders/${encodeURIComponent(name)}/page`;
      const before = await callApi<FolderPage>('GET', path);
      const body = {
        words: options.words ?? before.words,
        order: options.order?.split(',').map((one) => one.trim()) ?? before.order,
        hasPictures: options.pictures === undefined ? before.hasPictures : options.pictures === 'yes',
        origins: options.origins ? (options.origin.length > 0 ? options.origin : before.origins) : [],
      };
      const answer = await callApi<FolderPage>('PUT', path, { body });
      show(command, answer, () => line(`The start page of ${name} is saved.`));
    });
  folder
    .command('move <kind> <name>')
    .description('put a report, board or dataset into a folder, or take it out')
    .option('--to <folder>', 'left out: into no folder')
    .option('--yes', 'also where more people get rights on it')
    .action(async (kind: string, name: string, options: { to?: string; yes?: boolean }, command: Command) => {
      const path = `/api/v1/folders/-/${encodeURIComponent(kind)}/${encodeURIComponent(name)}`;
      await callApi('PUT', path, { query: { confirmed: options.yes }, body: { folder: options.to ?? null } });
      show(command, { kind, name, folder: options.to ?? null }, () =>
        line(options.to ? `${kind} ${name} lies in ${options.to} now.` : `${kind} ${name} lies in no folder now.`),
      );
    });
}

function addBin(program: Command): void {
  const bin = program.command('bin').description('what was thrown away, for 30 days');
  bin
    .command('list')
    .description('what you own and threw away')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ things: BinnedThing[] }>('GET', '/api/v1/bin');
      show(command, answer, ({ things }) => {
        table(things, [
          { heading: 'what', cell: (one) => one.kind },
          { heading: 'name', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'thrown away by', cell: (one) => one.deletedBy },
          { heading: 'until', cell: (one) => one.until.slice(0, 10) },
        ]);
        if (things.length === 0) line('The bin is empty.');
      });
    });
  bin
    .command('add <kind> <name>')
    .description(`throw a ${trashableKinds.join(', a ')} away; what depends on it is told first`)
    .option('--confirm', 'even if something depends on it')
    .action(async (kind: string, name: string, options: { confirm?: boolean }, command: Command) => {
      const answer = await callApi<{ uses: ThingUser[] }>(
        'DELETE',
        `/api/v1/${encodeURIComponent(kind)}s/${encodeURIComponent(name)}`,
        { query: { confirmed: options.confirm === true ? true : undefined } },
      );
      show(command, answer, ({ uses }) => {
        line(`${kind} ${name} lies in the bin for 30 days: underbell bin restore ${kind} ${name}`);
        if (uses.length > 0)
          line(`${plural(uses.length, 'thing')} stopped working: ${uses.map((one) => one.user).join(', ')}`);
      });
    });
  bin
    .command('restore <kind> <name>')
    .description('take a thing out of the bin again')
    .action(async (kind: string, name: string, _options, command: Command) => {
      const path = `/api/v1/bin/${encodeURIComponent(kind)}/${encodeURIComponent(name)}/restore`;
      const answer = await callApi('POST', path);
      show(command, answer, () => line(`${kind} ${name} is back.`));
    });
}

export function addFolderCommands(program: Command): void {
  addFind(program);
  addFolders(program);
  addBin(program);
}
