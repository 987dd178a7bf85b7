import type { BinnedThing, Collection, FolderPage, FoundThing, ShownFolder } from '@underbell/core/folder';
import type { Command } from 'commander';
import { collect } from '../platform/files.ts';
import { line, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

function addSearch(program: Command): void {
  program
    .command('search <words...>')
    .description('Search reports, boards and datasets')
    .action(async (words: string[], _options, command: Command) => {
      const answer = await callApi<{ found: FoundThing[] }>('GET', '/api/v1/search', {
        query: { text: words.join(' ') },
      });
      show(command, answer, ({ found }) => {
        table(found, [
          { heading: 'kind', cell: (one) => one.kind },
          { heading: 'name', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'folder', cell: (one) => one.folder },
          { heading: 'match', cell: (one) => one.because },
        ]);
        if (found.length === 0) line('No results.');
      });
    });
}

interface PageOptions {
  readonly intro?: string;
  readonly order?: string;
  readonly thumbnails?: string;
  readonly origin: string[];
  readonly removeOrigins?: true;
}

function addFolders(program: Command): void {
  const folder = program.command('folder').description('Folders');
  folder
    .command('list')
    .description('List folders')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ folders: ShownFolder[] }>('GET', '/api/v1/folders');
      show(command, answer, ({ folders }) =>
        table(folders, [
          { heading: 'folder', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'parent', cell: (one) => one.parentName ?? '' },
        ]),
      );
    });
  folder
    .command('save <name>')
    .description('Save a folder')
    .requiredOption('--title <text>', 'title')
    .option('--parent <folder>', 'parent folder')
    .option('--force', 'even if more users get access')
    .action(async (name: string, options: { title: string; parent?: string; force?: boolean }, command: Command) => {
      const answer = await callApi('PUT', `/api/v1/folders/${encodeURIComponent(name)}`, {
        query: { confirmed: options.force },
        body: { title: options.title, parentName: options.parent ?? null },
      });
      show(command, answer, () => line(`Folder “${name}” saved${options.parent ? ` in “${options.parent}”` : ''}.`));
    });
  folder
    .command('show <name>')
    .description('Show the content of a folder')
    .action(async (name: string, _options, command: Command) => {
      const answer = await callApi<Collection>('GET', `/api/v1/folders/${encodeURIComponent(name)}/contents`);
      show(command, answer, ({ title, words, things, folders }) => {
        line(title);
        if (words !== '') line(words);
        table(things, [
          { heading: 'kind', cell: (one) => one.kind },
          { heading: 'name', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'path', cell: (one) => one.path },
        ]);
        if (folders.length > 0) line(`Subfolders: ${folders.map((one) => one.name).join(', ')}`);
      });
    });
  folder
    .command('page <name>')
    .description('Set the folder page')
    .option('--intro <text>', 'introduction')
    .option('--order <items>', 'first items, example: "report takings,board harbour"')
    .option('--thumbnails <yes|no>', 'show thumbnails')
    .option('--origin <origin>', 'allowed origin; repeatable', collect, [])
    .option('--remove-origins', 'remove all allowed origins')
    .action(async (name: string, options: PageOptions, command: Command) => {
      const path = `/api/v1/folders/${encodeURIComponent(name)}/page`;
      const before = await callApi<FolderPage>('GET', path);
      const body = {
        words: options.intro ?? before.words,
        order: options.order?.split(',').map((one) => one.trim()) ?? before.order,
        hasPictures: options.thumbnails === undefined ? before.hasPictures : options.thumbnails === 'yes',
        origins: options.removeOrigins ? [] : options.origin.length > 0 ? options.origin : before.origins,
      };
      const answer = await callApi<FolderPage>('PUT', path, { body });
      show(command, answer, () => line(`Folder page of “${name}” saved.`));
    });
  folder
    .command('move <kind> <name>')
    .description('Move a report, board or dataset to a folder')
    .option('--to <folder>', 'folder; default: none')
    .option('--force', 'even if more users get access')
    .action(async (kind: string, name: string, options: { to?: string; force?: boolean }, command: Command) => {
      const path = `/api/v1/${encodeURIComponent(kind)}s/${encodeURIComponent(name)}/folder`;
      await callApi('PUT', path, { query: { confirmed: options.force }, body: { folder: options.to ?? null } });
      show(command, { kind, name, folder: options.to ?? null }, () =>
        line(
          options.to
            ? `Moved ${kind} “${name}” to folder “${options.to}”.`
            : `Moved ${kind} “${name}” out of its folder.`,
        ),
      );
    });
}

function addTrash(program: Command): void {
  const trash = program.command('trash').description('Deleted items, kept for 30 days');
  trash
    .command('list')
    .description('List deleted items')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ things: BinnedThing[] }>('GET', '/api/v1/trash');
      show(command, answer, ({ things }) => {
        table(things, [
          { heading: 'kind', cell: (one) => one.kind },
          { heading: 'name', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'deleted by', cell: (one) => one.deletedBy },
          { heading: 'restorable until', cell: (one) => one.until.slice(0, 10) },
        ]);
        if (things.length === 0) line('Trash is empty.');
      });
    });
  trash
    .command('restore <kind> <name>')
    .description('Restore a deleted item')
    .action(async (kind: string, name: string, _options, command: Command) => {
      const path = `/api/v1/trash/${encodeURIComponent(kind)}/${encodeURIComponent(name)}/restore`;
      const answer = await callApi('POST', path);
      show(command, answer, () => line(`Restored ${kind} “${name}”.`));
    });
}

export function addFolderCommands(program: Command): void {
  addSearch(program);
  addFolders(program);
  addTrash(program);
}
