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
    .option('--group <name>', 'screen group; repeatable', collect, [])
    .option('--screen <name>', 'screen; repeatable', collect, []);

function tellPreview({ revision, changes, screens, lacks }: PlaylistPlan): void {
  line(`Version ${revision}, not published.`);
  for (const [what, names] of Object.entries(changes)) if (names.length > 0) line(`${what}: ${names.join(', ')}`);
  for (const { kind, name, report, mayGive } of lacks)
    line(`${kind} “${name}” has no permission on report “${report}”${mayGive ? '; --grant-missing grants it' : ''}`);
  table(screens, [
    { heading: 'screen', cell: (one) => one.name },
    { heading: 'current', cell: (one) => one.has },
    { heading: 'errors', cell: (one) => one.misfits.map(({ slot, why }) => `${slot}: ${why}`).join('; ') },
    { heading: 'warnings', cell: (one) => one.cautions.map(({ slot, why }) => `${slot}: ${why}`).join('; ') },
  ]);
}

function tellPlaylist(one: ShownPlaylist): void {
  line(
    `${one.title}: ${plural(one.slots, 'slot')}, ${one.revision === null ? 'not published' : `version ${one.revision}`}`,
  );
  for (const { kind, name, revision } of one.targets) line(`${kind} ${name}: version ${revision}`);
  const late = one.screens.filter(({ wanted, has }) => has !== wanted);
  if (one.screens.length > 0)
    line(`${one.screens.length - late.length} of ${plural(one.screens.length, 'screen')} up to date`);
  for (const { name, wanted, has } of late.slice(0, 20)) line(`  ${name}: ${has ?? 'none'} of ${wanted}`);
  for (const { number, by, at, note } of one.revisions) line(`  ${number}  ${shortTime(at)}  ${by}  ${note}`);
}

export function addPlaylistCommands(program: Command): void {
  const playlist = program.command('playlist').description('Playlists');
  playlist
    .command('list')
    .description('List playlists')
    .action(async (_options, command: Command) => {
      show(command, await callApi<{ playlists: ListedPlaylist[] }>('GET', '/api/v1/playlists'), ({ playlists }) =>
        table(playlists, [
          { heading: 'playlist', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'slots', cell: (one) => one.slots, isNumber: true },
          { heading: 'version', cell: (one) => one.revision, isNumber: true },
          { heading: 'published to', cell: (one) => one.targets.map(({ name }) => name).join(', ') },
        ]),
      );
    });
  playlist
    .command('show <name>')
    .description('Show a playlist, its versions and its screens')
    .option('--definition', 'print only the definition')
    .action(async (name: string, options: { definition?: boolean }, command: Command) => {
      const found = await callApi<ShownPlaylist>('GET', pathOf(name));
      if (options.definition) line(JSON.stringify(found.definition, null, 2));
      else show(command, found, tellPlaylist);
    });
  playlist
    .command('save <file>')
    .description('Save a playlist; publish it to show it')
    .action(async (file: string, _options, command: Command) => {
      const body = { definition: readJsonFile(file) };
      show(command, await callApi<ShownPlaylist>('PUT', '/api/v1/playlists', { body }), tellPlaylist);
    });
  withTargets(playlist.command('preview <name>'))
    .description('Preview publishing: screens, changes, errors')
    .action(async (name: string, options: Targets, command: Command) => {
      const body = { targets: targetsOf(options) };
      show(command, await callApi<PlaylistPlan>('POST', `${pathOf(name)}/preview`, { body }), tellPreview);
    });
  withTargets(playlist.command('publish <name>'))
    .description('Publish a playlist to screens and screen groups')
    .option('--notes <text>', 'release notes', '')
    .option('--grant-missing', 'grant missing “view” permissions')
    .action(async (name: string, options: Targets & { notes: string; grantMissing?: boolean }, command: Command) => {
      const body = { targets: targetsOf(options), note: options.notes, give: options.grantMissing === true };
      show(command, await callApi<ShownPlaylist>('POST', `${pathOf(name)}/publish`, { body }), tellPlaylist);
    });
  playlist
    .command('rollback <name> <version>')
    .description('Publish an earlier version again')
    .action(async (name: string, version: string, _options, command: Command) => {
      const body = { revision: Number(version) };
      show(command, await callApi<ShownPlaylist>('POST', `${pathOf(name)}/rollback`, { body }), tellPlaylist);
    });
  withTargets(playlist.command('unpublish <name>'))
    .description('Unpublish a playlist from screens and screen groups')
    .action(async (name: string, options: Targets, command: Command) => {
      for (const target of targetsOf(options)) await callApi('POST', `${pathOf(name)}/unpublish`, { body: { target } });
      show(command, await callApi<ShownPlaylist>('GET', pathOf(name)), tellPlaylist);
    });
  playlist
    .command('delete <name>')
    .description('Delete an unpublished playlist')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', pathOf(name));
      show(command, { deleted: name }, () => line(`Playlist “${name}” deleted.`));
    });
}
