import type { ListedPlaylist, PlaylistPlan, PlaylistTarget, ShownPlaylist } from '@underbell/core/screen';
import type { Command } from 'commander';
import { collect, readJsonFile } from '../platform/files.ts';
import { line, plural, shortTime, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

const pathOf = (name: string) => `/api/v1/playlists/${encodeURIComponent(name)}`;

interface Targets {
  readonly group: string[];
  readonly screen: string[];
}

const targetsOf = ({ group, screen }: Targets): PlaylistTarget[] => [
  ...group.map((name) => ({ kind: 'screen-group' as const, name })),
  ...screen.map((name) => ({ kind: 'screen' as const, name })),
];
const withTargets = (command: Command) =>
  command
    .option('--group <name>', 'a group of screens; may be repeated', collect, [])
    .option('--screen <name>', 'a screen; may be repeated', collect, []);

function tellPlan({ revision, changes, screens, lacks }: PlaylistPlan): void {
  line(`It would be revision ${revision}.`);
  for (const [what, names] of Object.entries(changes)) if (names.length > 0) line(`${what}: ${names.join(', ')}`);
  for (const { kind, name, report, mayGive } of lacks)
    line(`${kind} ${name} has no right on ${report}${mayGive ? '; --give gives it' : ''}`);
  table(screens, [
    { heading: 'screen', cell: (one) => one.name },
    { heading: 'has', cell: (one) => one.has },
    { heading: 'cannot show', cell: (one) => one.misfits.map(({ slot, why }) => `${slot}: ${why}`).join('; ') },
    { heading: 'note', cell: (one) => one.cautions.map(({ slot, why }) => `${slot}: ${why}`).join('; ') },
  ]);
}

function tellPlaylist(one: ShownPlaylist): void {
  line(
    `${one.title}: ${plural(one.slots, 'slot')}, ${one.revision === null ? 'never published' : `revision ${one.revision}`}`,
  );
  for (const { kind, name, revision } of one.targets) line(`${kind} ${name}: revision ${revision}`);
  const late = one.screens.filter(({ wanted, has }) => has !== wanted);
  if (one.screens.length > 0)
    line(`${one.screens.length - late.length} of ${plural(one.screens.length, 'screen')} have what they should`);
  for (const { name, wanted, has } of late.slice(0, 20)) line(`  ${name}: ${has ?? 'nothing'} of ${wanted}`);
  for (const { number, by, at, note } of one.revisions) line(`  ${number}  ${shortTime(at)}  ${by}  ${note}`);
}

export function addPlaylistCommands(program: Command): void {
  const playlist = program.command('playlist').description('what display screens show, one after the other');
  playlist
    .command('list')
    .description('playlists that you may see')
    .action(async (_options, command: Command) => {
      show(command, await callApi<{ playlists: ListedPlaylist[] }>('GET', '/api/v1/playlists'), ({ playlists }) =>
        table(playlists, [
          { heading: 'playlist', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'slots', cell: (one) => one.slots, isNumber: true },
          { heading: 'revision', cell: (one) => one.revision, isNumber: true },
          { heading: 'published to', cell: (one) => one.targets.map(({ name }) => name).join(', ') },
        ]),
      );
    });
  playlist
    .command('show <name>')
    .description('one of them: its revisions, and which screen has which')
    .option('--definition', 'the definition alone, as it is saved')
    .action(async (name: string, options: { definition?: boolean }, command: Command) => {
      const found = await callApi<ShownPlaylist>('GET', pathOf(name));
      if (options.definition) line(JSON.stringify(found.definition, null, 2));
      else show(command, found, tellPlaylist);
    });
  playlist
    .command('save <file>')
    .description('save a playlist; screens show what was published last until it is published again')
    .action(async (file: string, _options, command: Command) => {
      const body = { definition: readJsonFile(file) };
      show(command, await callApi<ShownPlaylist>('PUT', '/api/v1/playlists', { body }), tellPlaylist);
    });
  withTargets(playlist.command('plan <name>'))
    .description('what publishing it would mean: which screens, what changes, what does not fit')
    .action(async (name: string, options: Targets, command: Command) => {
      const body = { targets: targetsOf(options) };
      show(command, await callApi<PlaylistPlan>('POST', `${pathOf(name)}/plan`, { body }), tellPlan);
    });
  withTargets(playlist.command('publish <name>'))
    .description('publish it to screens and groups as its next revision: to all of them, or to none')
    .option('--note <text>', 'what is new', '')
    .option('--give', 'give them the right to view what it shows, as far as you may pass it on')
    .action(async (name: string, options: Targets & { note: string; give?: boolean }, command: Command) => {
      const body = { targets: targetsOf(options), note: options.note, give: options.give === true };
      show(command, await callApi<ShownPlaylist>('POST', `${pathOf(name)}/publish`, { body }), tellPlaylist);
    });
  playlist
    .command('back <name> <revision>')
    .description('publish an earlier revision once more, where the playlist stands now')
    .action(async (name: string, revision: string, _options, command: Command) => {
      const body = { revision: Number(revision) };
      show(command, await callApi<ShownPlaylist>('POST', `${pathOf(name)}/back`, { body }), tellPlaylist);
    });
  withTargets(playlist.command('withdraw <name>'))
    .description('take it from screens and groups')
    .action(async (name: string, options: Targets, command: Command) => {
      for (const target of targetsOf(options)) await callApi('POST', `${pathOf(name)}/withdraw`, { body: { target } });
      show(command, await callApi<ShownPlaylist>('GET', pathOf(name)), tellPlaylist);
    });
  playlist
    .command('remove <name>')
    .description('take away a playlist that is published nowhere')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', pathOf(name));
      show(command, { removed: name }, () => line(`The playlist ${name} is gone.`));
    });
}
