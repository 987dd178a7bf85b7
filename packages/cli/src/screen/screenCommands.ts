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
const codePath = (code: string) => `/api/v1/screen-codes/${encodeURIComponent(code)}`;
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
  line(`in ${one.group}, ${pairsOf(one.attributes) || 'nothing said of it'}, ${one.timeZone}, ${one.language}`);
  line(`paired by ${one.pairedBy} ${shortTime(one.pairedAt)}`);
  if (one.endedAt !== undefined) line(`ended by ${one.endedBy ?? ''} ${shortTime(one.endedAt)}`);
  if (one.beatAt !== null) line(`last word ${shortTime(one.beatAt)}, shows ${one.shown?.slot ?? 'nothing'}`);
  for (const { name, revision, newest, by } of one.playlists)
    line(`playlist ${name}: revision ${revision}${revision < newest ? ` of ${newest}` : ''}, by ${by}`);
  for (const { at, what, detail } of one.history.slice(0, 12)) line(`  ${shortTime(at)}  ${what}  ${detail}`);
}

function addScreens(screen: Command): void {
  screen
    .command('list')
    .description('screens that you may see; first those with which something is wrong')
    .option('--group <name>', 'of one group')
    .option('--state <word>', 'silent, failing, stale, behind, fine or closed')
    .option('--find <text>', 'stands in its name, its title or what it says of itself')
    .option('--from <number>', 'how many to leave out before the first')
    .option('--count <number>', 'how many at most; 200 when left out')
    .action(async (options: Record<string, string>, command: Command) => {
      const words = new URLSearchParams(options).toString();
      const path = `/api/v1/screens${words ? `?${words}` : ''}`;
      show(command, await callApi<Fleet>('GET', path), ({ screens, total, counts }) => {
        table(screens, [
          { heading: 'screen', cell: (one) => one.name },
          { heading: 'group', cell: (one) => one.group },
          { heading: 'says', cell: (one) => pairsOf(one.attributes) },
          { heading: 'state', cell: (one) => one.state },
          { heading: 'why', cell: (one) => one.why },
          { heading: 'shows', cell: (one) => one.shown?.slot ?? '' },
        ]);
        const states = Object.entries(counts).filter(([, count]) => count > 0);
        const all = screens.length < total ? ` of ${total}` : '';
        line(
          `${plural(screens.length, 'screen')}${all}; in all: ${states.map(([one, count]) => `${count} ${one}`).join(', ')}`,
        );
      });
    });
  screen
    .command('show <name>')
    .description('what a screen shows and should show, and what happened to it')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownScreen>('GET', screenPath(name)), tellScreen);
    });
  screen
    .command('look <code>')
    .description('the device that shows a code')
    .action(async (code: string, _options, command: Command) => {
      show(command, await callApi<WaitingDevice>('GET', codePath(code)), ({ device, askedAt }) => {
        line(deviceWords(device));
        line(`asked${device.address ? ` from ${device.address}` : ''} ${shortTime(askedAt)}`);
      });
    });
  screen
    .command('pair <code> <name>')
    .description('take the device that shows a code in as a screen')
    .requiredOption('--group <name>', 'the group that it is in')
    .option('--title <text>', 'what people call it')
    .option('--attribute <name=value>', 'what it says of itself; may be repeated', collect, [])
    .option('--time-zone <zone>', 'of the wall that it hangs on', 'Europe/Berlin')
    .option('--language <tag>', 'BCP 47', 'en')
    .action(async (code: string, name: string, options: ScreenOptions, command: Command) => {
      const { title = name, group, timeZone, language } = options;
      const attributes = readPairs(options.attribute, '--attribute');
      const body = { name, title, group, attributes, timeZone, language };
      show(command, await callApi<ShownScreen>('POST', codePath(code), { body }), (one) =>
        line(`${one.title} is taken in; it shows something as soon as it asks for its key.`),
      );
    });
  screen
    .command('refuse <code>')
    .description('refuse the device that shows a code')
    .action(async (code: string, _options, command: Command) => {
      await callApi('DELETE', codePath(code));
      show(command, { refused: code }, () => line(`The device that shows ${code} was refused.`));
    });
  screen
    .command('change <name>')
    .description('say something else of a screen; what is left out stays')
    .option('--group <name>', 'another group')
    .option('--title <text>', 'what people call it')
    .option('--attribute <name=value>', 'all that it says of itself; may be repeated', collect, [])
    .option('--time-zone <zone>', 'of the wall that it hangs on')
    .option('--language <tag>', 'BCP 47')
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
    ['reload', 'reload', 'let a screen load itself anew'],
    ['name', 'show name', 'let a screen show on the wall which it is'],
  ] as const)
    screen
      .command(`${verb} <name>`)
      .description(words)
      .action(async (name: string, _options, command: Command) => {
        await callApi('POST', `${screenPath(name)}/orders`, { body: { order } });
        show(command, { told: name, order }, () => line(`${name} is told, at once or with its next word.`));
      });
  screen
    .command('picture <name>')
    .description('write down a small picture of what a screen really shows')
    .option('--out <file>', 'where to; its name when left out')
    .action(async (name: string, options: { out?: string }, command: Command) => {
      const out = options.out ?? `${name}.webp`;
      const bytes = await fetchFile(`${screenPath(name)}/picture`, undefined, out);
      show(command, { file: out, bytes }, () => line(`Written to ${out}.`));
    });
  screen
    .command('end <name>')
    .description('end the key of a screen: its picture goes, and what it keeps is deleted')
    .action(async (name: string, _options, command: Command) => {
      const answer = await callApi<ShownScreen>('POST', `${screenPath(name)}/end`);
      show(command, answer, (one) => line(`${one.title} is closed.`));
    });
  screen
    .command('remove <name>')
    .description('take a screen that was ended out of the list')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', screenPath(name));
      show(command, { removed: name }, () => line(`The screen ${name} is gone.`));
    });
  screen
    .command('attributes')
    .description('what may be said of each screen; with --set, say it anew (for administrators)')
    .option(
      '--set <name:type=label>',
      'one of them, of the type text, number, boolean or date; may be repeated',
      collect,
      [],
    )
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
  line(
    `figures older than ${one.worryMinutes} minutes are marked; after ${one.leaseHours} hours without a word a screen forgets`,
  );
  line(`otherwise: ${one.otherwise || '(its own name)'}`);
  for (const { id, slot, by, until } of one.interruptions)
    line(`interruption ${id}: ${contentWords(slot.shows)}, by ${by}, until ${shortTime(until)}`);
}

/** A length of time from now: `90m`, `4h`, `2d`. */
function untilOf(text: string): string {
  const [, count, unit] = /^(\d{1,4})([mhd])$/.exec(text) ?? [];
  const minutes = { m: 1, h: 60, d: 1_440 }[unit ?? ''];
  if (count === undefined || minutes === undefined)
    throw localProblem('INPUT_INVALID', `\`${text}\` is no length of time`, {
      pointer: '--for',
      word: text,
      hint: '90m, 4h or 2d',
    });
  return new Date(Date.now() + Number(count) * minutes * 60_000).toISOString();
}

function addGroups(group: Command): void {
  group
    .command('list')
    .description('groups of screens that you may see')
    .action(async (_options, command: Command) => {
      show(command, await callApi<{ groups: ShownGroup[] }>('GET', '/api/v1/screen-groups'), ({ groups }) =>
        table(groups, [
          { heading: 'group', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'screens', cell: (one) => one.screens, isNumber: true },
          { heading: 'interrupted by', cell: (one) => one.interruptions[0]?.by ?? '' },
        ]),
      );
    });
  group
    .command('show <name>')
    .description('one of them, with what interrupts it')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownGroup>('GET', groupPath(name)), tellGroup);
    });
  group
    .command('save <name>')
    .description('make a group of screens, or change it')
    .requiredOption('--title <text>', 'what people call it')
    .option('--worry <minutes>', 'from which age on what is shown is marked as old', '1440')
    .option('--lease <hours>', 'after so long without a word a screen forgets what it keeps', '48')
    .option('--otherwise <text>', 'what stands there when no playlist applies', '')
    .action(async (name: string, options: Record<string, string>, command: Command) => {
      const { title, otherwise } = options;
      const body = { title, otherwise, worryMinutes: Number(options['worry']), leaseHours: Number(options['lease']) };
      show(command, await callApi<ShownGroup>('PUT', groupPath(name), { body }), tellGroup);
    });
  group
    .command('interrupt <name> [text]')
    .description('let all screens of a group show these words now, or what a slot shows, before everything else')
    .option('--slot <file>', 'a slot as playlists have it: a page, a board, a picture')
    .option('--for <time>', 'how long: 90m, 4h, 2d', '1h')
    .action(
      async (name: string, text: string | undefined, options: { for: string; slot?: string }, command: Command) => {
        if ((text === undefined) === (options.slot === undefined))
          throw localProblem('INPUT_INVALID', 'say either words or `--slot` with a file', { pointer: 'text' });
        const slot = options.slot ? readJsonFile(options.slot) : { name: 'now', shows: { text }, seconds: 60 };
        const body = { slot, until: untilOf(options.for) };
        show(command, await callApi<ShownGroup>('POST', `${groupPath(name)}/interruptions`, { body }), tellGroup);
      },
    );
  group
    .command('resume <name> <id>')
    .description('end an interruption before its time')
    .action(async (name: string, id: string, _options, command: Command) => {
      const answer = await callApi<ShownGroup>('DELETE', `${groupPath(name)}/interruptions/${encodeURIComponent(id)}`);
      show(command, answer, tellGroup);
    });
  group
    .command('remove <name>')
    .description('take away a group that has no screens')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', groupPath(name));
      show(command, { removed: name }, () => line(`The group ${name} is gone.`));
    });
}

export function addScreenCommands(program: Command): void {
  addScreens(program.command('screen').description('display screens: pairing, what each shows, its end'));
  addGroups(program.command('screen-group').description('groups of display screens'));
}
