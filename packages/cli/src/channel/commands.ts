import {
  announcementEvents,
  type ComparedMembers,
  type ShownChat,
  type ShownTab,
  type ShownTeam,
} from '@underbell/core/channel';
import { placementLabel } from '@underbell/core/placement';
import type { Command } from 'commander';
import { line, shortTime, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

const chatPath = (name: string) => `/api/v1/chats/${encodeURIComponent(name)}`;
const tabPath = (name: string) => `/api/v1/tabs/${encodeURIComponent(name)}`;

interface ChatOptions {
  readonly title: string;
  readonly server: string;
  readonly serverName: string;
  readonly addresses?: string;
  readonly guests: readonly string[];
  readonly origin: readonly string[];
}
const all = (value: string, before: readonly string[]) => [...before, value];

function chatBody({ title, server, serverName, addresses, guests, origin }: ChatOptions) {
  const pairs = guests.map((one) => one.split('=', 2) as [string, string]);
  return {
    ...{ title, homeserver: server, serverName },
    ...(addresses === undefined ? {} : { addressDomain: addresses }),
    guestServers: Object.fromEntries(pairs),
    origins: origin,
  };
}

const withChatOptions = (command: Command) =>
  command
    .requiredOption('--title <text>', 'what people call it')
    .requiredOption('--server <url>', 'where its server answers clients')
    .requiredOption('--server-name <name>', 'behind the colon of its people’s names')
    .option('--addresses <domain>', 'its people are those with addresses at this domain')
    .option('--guests <name=url>', 'a server of another organisation whose people come in as guests', all, [])
    .option('--origin <origin>', 'of the pages in which people use it', all, []);

/** Team chats that the service is part of, as its administrator. */
function addChatCommands(program: Command): void {
  const chat = program.command('chat').description('team chats that the service is part of (Matrix)');
  chat
    .command('list')
    .description('the chats, with what is wrong with them')
    .action(async (_options, command: Command) => {
      show(command, await callApi<{ chats: ShownChat[] }>('GET', '/api/v1/chats'), ({ chats }) => {
        table(chats, [
          { heading: 'chat', cell: (one) => one.name },
          { heading: 'server', cell: (one) => one.serverName },
          { heading: 'channels', cell: (one) => one.channels, isNumber: true },
          { heading: 'tabs', cell: (one) => one.tabs, isNumber: true },
          { heading: 'heard', cell: (one) => shortTime(one.heardAt) },
          { heading: 'compared', cell: (one) => shortTime(one.comparedAt) },
          { heading: 'problem', cell: (one) => one.problem?.code ?? '' },
        ]);
        if (chats.length === 0) line('The service is part of no chat.');
      });
    });
  chat
    .command('show <name>')
    .description('one of them, with how it is reached')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownChat>('GET', chatPath(name)), (one) => {
        line(`${one.title}, ${one.serverName}: ${one.teams} teams, ${one.channels} channels, ${one.tabs} tabs`);
        if (one.setup) line(`server ${one.setup.homeserver}, used in ${one.setup.origins.join(', ') || 'no page'}`);
        if (one.setup?.addressDomain) line(`its people have addresses at ${one.setup.addressDomain}`);
        if (one.problem) line(`since ${shortTime(one.problem.since)}: ${one.problem.message} (${one.problem.code})`);
      });
    });
  withChatOptions(
    chat.command('add <name>').description('take part in a chat; prints the registration file for its server, once'),
  ).action(async (name: string, options: ChatOptions, command: Command) => {
    const body = { name, ...chatBody(options) };
    show(command, await callApi<{ registration: string }>('POST', '/api/v1/chats', { body }), (made) =>
      line(made.registration.trimEnd()),
    );
  });
  withChatOptions(chat.command('change <name>').description('change how it is reached, and who its people are')).action(
    async (name: string, options: ChatOptions, command: Command) => {
      const changed = await callApi<ShownChat>('PUT', chatPath(name), { body: chatBody(options) });
      show(command, changed, (one) => line(`${one.title} is changed.`));
    },
  );
  chat
    .command('keys <name>')
    .description('make new keys; the ones before end at once')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<{ registration: string }>('POST', `${chatPath(name)}/keys`), (made) =>
        line(made.registration.trimEnd()),
      );
    });
  chat
    .command('compare <name>')
    .description('compare the members of all channels with what the chat says now')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ComparedMembers>('POST', `${chatPath(name)}/compare`), (one) =>
        line(
          `${one.members} members in ${one.rooms} teams and channels; ${one.joined} were missing, ${one.left} had gone`,
        ),
      );
    });
  chat
    .command('end <name>')
    .description('end it: its tabs let nobody in any more')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', chatPath(name));
      show(command, { ended: name }, () => line(`The chat ${name} is ended.`));
    });
}

interface TabOptions {
  readonly chat: string;
  readonly channel: string;
  readonly report?: string;
  readonly page?: string;
  readonly figure?: string;
  readonly board?: string;
  readonly title?: string;
  readonly tab?: string;
  readonly tell?: string;
  readonly news: readonly string[];
}

/** Tabs of channels. */
export function addChannelCommands(program: Command): void {
  addChatCommands(program);
  program
    .command('channel')
    .description('channels of team chats')
    .command('list')
    .description('the channels that you are in, and whether you may place tabs there')
    .action(async (_options, command: Command) => {
      show(command, await callApi<{ teams: ShownTeam[] }>('GET', '/api/v1/channels'), ({ teams }) => {
        const channels = teams.flatMap((team) => team.channels.map((one) => ({ team: team.name, ...one })));
        table(channels, [
          { heading: 'team', cell: (one) => one.team },
          { heading: 'channel', cell: (one) => one.name },
          { heading: 'members', cell: (one) => one.members, isNumber: true },
          { heading: 'tabs', cell: (one) => one.tabs.map((tab) => tab.name).join(', ') },
          { heading: 'to place tabs', cell: (one) => one.why ?? 'yes' },
        ]);
        if (channels.length === 0) line('You are in no channel that the service is in, too.');
      });
    });
  const tab = program.command('tab').description('tabs of channels, for exactly their members');
  tab
    .command('list')
    .description('tabs of your channels, and of what you may see')
    .action(async (_options, command: Command) => {
      show(command, await callApi<{ tabs: ShownTab[] }>('GET', '/api/v1/tabs'), ({ tabs }) => {
        table(tabs, [
          { heading: 'tab', cell: (one) => one.placement },
          { heading: 'called', cell: (one) => one.name },
          { heading: 'channel', cell: (one) => [one.channel.team, one.channel.name].filter(Boolean).join(' / ') },
          { heading: 'shows', cell: placementLabel },
          { heading: 'members', cell: (one) => one.members, isNumber: true },
          { heading: 'state', cell: (one) => one.problem?.code ?? one.state },
        ]);
        if (tabs.length === 0) line('No tab yet.');
      });
    });
  tab
    .command('show <name>')
    .description('one of them')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownTab>('GET', tabPath(name)), (one) => {
        line(
          `“${one.name}” in ${one.channel.name} shows the ${placementLabel(one)} to ${one.members} members: ${one.state}`,
        );
        line(`by the right of ${one.by ?? 'somebody who is gone'}; ${one.link}`);
        if (one.news.length > 0) line(`tells of: ${one.news.join(', ')}`);
        if (one.problem) line(`since ${shortTime(one.problem.since)}: ${one.problem.message} (${one.problem.code})`);
      });
    });
  tab
    .command('place <name>')
    .description('place a tab in a channel of yours, change it, or move it to another channel')
    .requiredOption('--chat <name>', 'the chat')
    .requiredOption('--channel <name>', 'the channel')
    .option('--report <name>', 'the report')
    .option('--page <name>', 'this page of it')
    .option('--figure <name>', 'this figure of the page')
    .option('--board <name>', 'the board')
    .option('--title <text>', 'what stands above it')
    .option('--tab <text>', 'its name in the row of tabs')
    .option('--tell <words>', 'tell the channel now')
    .option('--news <what>', `tell the channel by itself: ${announcementEvents.join(', ')}`, all, [])
    .addHelpText(
      'after',
      '\nExample:\n  underbell tab place leads --chat skerrow --channel "Quay leads" --report quay-punctuality --tell "Here it is"',
    )
    .action(async (name: string, options: TabOptions, command: Command) => {
      const { chat, channel, report, page, figure, board, title, tab: called, tell, news } = options;
      const shows = { title: title ?? report ?? board ?? name, report, page, figure, board };
      const body = { chat, channel, tab: called, tell, news, shows };
      show(command, await callApi<ShownTab>('PUT', tabPath(name), { body }), (one) =>
        line(
          `“${one.name}” is ${one.state === 'placed' ? 'in' : 'on its way to'} ${one.channel.name}: ${one.members} members see it.`,
        ),
      );
    });
  tab
    .command('tell <name> [words]')
    .description('tell its channel about it')
    .action(async (name: string, words: string | undefined, _options, command: Command) => {
      const body = { words: words ?? '' };
      show(command, await callApi<ShownTab>('POST', `${tabPath(name)}/tell`, { body }), (one) =>
        line(`${one.channel.name} is told.`),
      );
    });
  tab
    .command('remove <name>')
    .description('take a tab out of its channel')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', tabPath(name));
      show(command, { removed: name }, () => line(`The tab ${name} is gone.`));
    });
}
