import {
  contentWords,
  deviceWords,
  type Fleet,
  type ScreenAttribute,
  type ShownGroup,
  type ShownScreen,
  type WaitingDevice,
} from '@underbell/core/screen';
import type { Command } from 'commander';
import { collect, readJsonFile, readPairs } from '../platform/files.ts';
import { line, plural, shortTime, show, table } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { callApi, fetchFile } from '../platform/service.ts';

const screenPath = (name: string) => `/api/v1/screens/${encodeURIComponent(name)}`;
const groupPath = (name: string) => `/api/v1/screen-groups/${encodeURIComponent(name)}`;
const codePath = (code: string) => `/api/v1/pairing-codes/${encodeURIComponent(code)}`;
const pairsOf = (values: Readonly<Record<string, string>>) =>
  Object.entries(values)
    .map(([name, value]) => `${name}=${value}`)
    .join(' ');

interface ScreenOptions {
  readonly title?: string;
  readonly group?: string;
  readonly attribute: string[];
  readonly timeZone?: string;
  readonly language?: string;
}

function tellScreen(one: ShownScreen): void {
  line(`${one.title}: ${one.state}, ${one.why}`);
  line(`in ${one.group}, ${pairsOf(one.attributes) || 'no attributes'}, ${one.timeZone}, ${one.language}`);
  line(`paired by ${one.pairedBy} ${shortTime(one.pairedAt)}`);
  if (one.endedAt !== undefined) line(`unpaired by ${one.endedBy ?? ''} ${shortTime(one.endedAt)}`);
  if (one.beatAt !== null) line(`last seen ${shortTime(one.beatAt)}, content: ${one.shown?.slot ?? 'none'}`);
  for (const { name, revision, newest, by } of one.playlists)
    line(`playlist ${name}: version ${revision}${revision < newest ? ` of ${newest}` : ''}, published by ${by}`);
  for (const { at, what, detail } of one.history.slice(0, 12)) line(`  ${shortTime(at)}  ${what}  ${detail}`);
}

function addScreens(screen: Command): void {
  screen
    .command('list')
    .description('List screens, problems first')
    .option('--group <name>', 'screen group')
    .option('--state <state>', 'silent, failing, stale, behind, fine or closed')
    .option('--search <text>', 'text in the name, title or attributes')
    .option('--offset <number>', 'skip so many screens')
    .option('--limit <number>', 'maximum number; default: 200')
    .action(async (options: Record<string, string | undefined>, command: Command) => {
      const { search: find, offset: from, limit: count, ...rest } = options;
      const query = { ...rest, find, from, count };
      show(command, await callApi<Fleet>('GET', '/api/v1/screens', { query }), ({ screens, total, counts }) => {
        table(screens, [
          { heading: 'screen', cell: (one) => one.name },
          { heading: 'group', cell: (one) => one.group },
          { heading: 'attributes', cell: (one) => pairsOf(one.attributes) },
          { heading: 'state', cell: (one) => one.state },
          { heading: 'reason', cell: (one) => one.why },
          { heading: 'content', cell: (one) => one.shown?.slot ?? '' },
        ]);
        const states = Object.entries(counts).filter(([, count]) => count > 0);
        const all = screens.length < total ? ` of ${total}` : '';
        line(
          `${plural(screens.length, 'screen')}${all}; total: ${states.map(([one, count]) => `${count} ${one}`).join(', ')}`,
        );
      });
    });
  screen
    .command('show <name>')
    .description('Show a screen and its history')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownScreen>('GET', screenPath(name)), tellScreen);
    });
  screen
    .command('lookup <code>')
    .description('Show the device with this pairing code')
    .action(async (code: string, _options, command: Command) => {
      show(command, await callApi<WaitingDevice>('GET', codePath(code)), ({ device, askedAt }) => {
        line(deviceWords(device));
        line(`requested${device.address ? ` from ${device.address}` : ''} ${shortTime(askedAt)}`);
      });
    });
  screen
    .command('pair <code> <name>')
    .description('Pair a screen')
    .requiredOption('--group <name>', 'screen group')
    .option('--title <text>', 'title')
    .option('--attribute <name=value>', 'screen attribute; repeatable', collect, [])
    .option('--time-zone <zone>', 'IANA time zone of the screen', 'Europe/Berlin')
    .option('--language <tag>', 'language (BCP 47)', 'en')
    .action(async (code: string, name: string, options: ScreenOptions, command: Command) => {
      const { title = name, group, timeZone, language } = options;
      const attributes = readPairs(options.attribute, '--attribute');
      const body = { name, title, group, attributes, timeZone, language };
      show(command, await callApi<ShownScreen>('POST', codePath(code), { body }), (one) =>
        line(`Screen “${one.title}” paired.`),
      );
    });
  screen
    .command('reject <code>')
    .description('Reject the device with this pairing code')
    .action(async (code: string, _options, command: Command) => {
      await callApi('DELETE', codePath(code));
      show(command, { rejected: code }, () => line(`Pairing code ${code} rejected.`));
    });
  screen
    .command('update <name>')
    .description('Change a screen')
    .option('--group <name>', 'screen group')
    .option('--title <text>', 'title')
    .option('--attribute <name=value>', 'screen attributes, replacing the earlier ones; repeatable', collect, [])
    .option('--time-zone <zone>', 'IANA time zone of the screen')
    .option('--language <tag>', 'language (BCP 47)')
    .action(async (name: string, options: ScreenOptions, command: Command) => {
      const now = await callApi<ShownScreen>('GET', screenPath(name));
      const { title, group, attributes, timeZone, language } = now;
      const said = readPairs(options.attribute, '--attribute');
      const body = {
        title: options.title ?? title,
        group: options.group ?? group,
        attributes: options.attribute.length > 0 ? said : attributes,
        timeZone: options.timeZone ?? timeZone,
        language: options.language ?? language,
      };
      show(command, await callApi<ShownScreen>('PUT', screenPath(name), { body }), tellScreen);
    });
  for (const [verb, order, words] of [
    ['reload', 'reload', 'Reload a screen'],
    ['identify', 'show name', 'Show the screen name on the screen'],
  ] as const)
    screen
      .command(`${verb} <name>`)
      .description(words)
      .action(async (name: string, _options, command: Command) => {
        await callApi('POST', `${screenPath(name)}/commands`, { body: { order } });
        show(command, { told: name, order }, () => line(`Command sent to “${name}”.`));
      });
  screen
    .command('screenshot <name>')
    .description('Save a screenshot')
    .option('--out <file>', 'file; default: NAME.webp')
    .action(async (name: string, options: { out?: string }, command: Command) => {
      const out = options.out ?? `${name}.webp`;
      const bytes = await fetchFile(`${screenPath(name)}/screenshot`, undefined, out);
      show(command, { file: out, bytes }, () => line(`Written to ${out}.`));
    });
  screen
    .command('unpair <name>')
    .description('Unpair a screen: stored content is deleted')
    .action(async (name: string, _options, command: Command) => {
      const answer = await callApi<ShownScreen>('POST', `${screenPath(name)}/unpair`);
      show(command, answer, (one) => line(`Screen “${one.title}” unpaired.`));
    });
  screen
    .command('delete <name>')
    .description('Delete an unpaired screen')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', screenPath(name));
      show(command, { deleted: name }, () => line(`Screen “${name}” deleted.`));
    });
  screen
    .command('attributes')
    .description('Show or set the screen attributes (administrators)')
    .option('--set <name:type=label>', 'attribute of type text, number, boolean or date; repeatable', collect, [])
    .action(async (options: { set: string[] }, command: Command) => {
      const attributes = Object.entries(readPairs(options.set, '--set')).map(([key, label]) => {
        const [name = '', type = 'text'] = key.split(':');
        return { name, type, label };
      });
      const answer = await callApi<{ attributes: ScreenAttribute[] }>(
        options.set.length > 0 ? 'PUT' : 'GET',
        '/api/v1/screen-attributes',
        options.set.length > 0 ? { body: { attributes } } : {},
      );
      show(command, answer, (one) =>
        table(one.attributes, [
          { heading: 'attribute', cell: ({ name }) => name },
          { heading: 'type', cell: ({ type }) => type },
          { heading: 'label', cell: ({ label }) => label },
        ]),
      );
    });
}

function tellGroup(one: ShownGroup): void {
  line(`${one.title}: ${plural(one.screens, 'screen')}`);
  line(`stale after ${one.worryMinutes} minutes; offline limit ${one.leaseHours} hours`);
  line(`fallback text: ${one.otherwise || '(screen name)'}`);
  for (const { id, slot, by, until } of one.interruptions)
    line(`override ${id}: ${contentWords(slot.shows)}, by ${by}, until ${shortTime(until)}`);
}

/** A length of time from now: `90m`, `4h`, `2d`. */
function untilOf(text: string): string {
  const [, count, unit] = /^(\d{1,4})([mhd])$/.exec(text) ?? [];
  const minutes = { m: 1, h: 60, d: 1_440 }[unit ?? ''];
  if (count === undefined || minutes === undefined)
    throw localProblem('INPUT_INVALID', `“${text}” is not a valid duration.`, {
      pointer: '--duration',
      word: text,
      hint: 'Example: 90m, 4h or 2d.',
    });
  return new Date(Date.now() + Number(count) * minutes * 60_000).toISOString();
}

function addGroups(group: Command): void {
  group
    .command('list')
    .description('List screen groups')
    .action(async (_options, command: Command) => {
      show(command, await callApi<{ groups: ShownGroup[] }>('GET', '/api/v1/screen-groups'), ({ groups }) =>
        table(groups, [
          { heading: 'group', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'screens', cell: (one) => one.screens, isNumber: true },
          { heading: 'override by', cell: (one) => one.interruptions[0]?.by ?? '' },
        ]),
      );
    });
  group
    .command('show <name>')
    .description('Show a screen group')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownGroup>('GET', groupPath(name)), tellGroup);
    });
  group
    .command('save <name>')
    .description('Save a screen group')
    .requiredOption('--title <text>', 'title')
    .option('--stale-after <minutes>', 'mark data as out of date after so many minutes', '1440')
    .option('--max-offline <hours>', 'delete stored content after so many hours offline', '48')
    .option('--fallback-text <text>', 'text when no playlist applies', '')
    .action(async (name: string, options: Record<string, string>, command: Command) => {
      const { title, fallbackText: otherwise, staleAfter, maxOffline } = options;
      const body = { title, otherwise, worryMinutes: Number(staleAfter), leaseHours: Number(maxOffline) };
      show(command, await callApi<ShownGroup>('PUT', groupPath(name), { body }), tellGroup);
    });
  group
    .command('override <name> [text]')
    .description('Override all screens of a group with a text or slot')
    .option('--slot <file>', 'slot as in a playlist definition')
    .option('--duration <time>', 'duration, example: 90m, 4h, 2d', '1h')
    .action(
      async (
        name: string,
        text: string | undefined,
        options: { duration: string; slot?: string },
        command: Command,
      ) => {
        if ((text === undefined) === (options.slot === undefined))
          throw localProblem('INPUT_INVALID', 'Specify either a text or --slot FILE.', { pointer: 'text' });
        const slot = options.slot ? readJsonFile(options.slot) : { name: 'now', shows: { text }, seconds: 60 };
        const body = { slot, until: untilOf(options.duration) };
        show(command, await callApi<ShownGroup>('POST', `${groupPath(name)}/overrides`, { body }), tellGroup);
      },
    );
  group
    .command('end-override <name> <id>')
    .description('End an override')
    .action(async (name: string, id: string, _options, command: Command) => {
      const answer = await callApi<ShownGroup>('DELETE', `${groupPath(name)}/overrides/${encodeURIComponent(id)}`);
      show(command, answer, tellGroup);
    });
  group
    .command('delete <name>')
    .description('Delete a screen group without screens')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', groupPath(name));
      show(command, { deleted: name }, () => line(`Screen group “${name}” deleted.`));
    });
}

export function addScreenCommands(program: Command): void {
  addScreens(program.command('screen').description('Display screens'));
  addGroups(program.command('screen-group').description('Screen groups'));
}
