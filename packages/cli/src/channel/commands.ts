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

const chatPath = (name: string) => `/api/v1/chat-servers/${encodeURIComponent(name)}`;
const tabPath = (name: string) => `/api/v1/channel-placements/${encodeURIComponent(name)}`;

interface ChatOptions {
  readonly title: string;
  readonly homeserver: string;
  readonly serverName: string;
  readonly emailDomain?: string;
  readonly guestServer: readonly string[];
  readonly origin: readonly string[];
}
const all = (value: string, before: readonly string[]) => [...before, value];

function chatBody({ title, homeserver, serverName, emailDomain, guestServer, origin }: ChatOptions) {
  const pairs = guestServer.map((one) => one.split('=', 2) as [string, string]);
  return {
    ...{ title, homeserver, serverName },
    ...(emailDomain === undefined ? {} : { addressDomain: emailDomain }),
    guestServers: Object.fromEntries(pairs),
    origins: origin,
  };
}

const withChatOptions = (command: Command) =>
  command
    .requiredOption('--title <text>', 'title')
    .requiredOption('--homeserver <url>', 'URL of the homeserver for clients')
    .requiredOption('--server-name <name>', 'Matrix server name')
    .option('--email-domain <domain>', 'users are matched by email addresses of this domain')
    .option(
      '--guest-server <name=url>',
      'homeserver of another organisation; its users are guests; repeatable',
      all,
      [],
    )
    .option('--origin <origin>', 'allowed origin of the chat client; repeatable', all, []);

/** Chat servers, for administrators. */
function addChatCommands(program: Command): void {
  const chat = program.command('chat-server').description('Matrix servers');
  chat
    .command('list')
    .description('List chat servers')
    .action(async (_options, command: Command) => {
      show(command, await callApi<{ chats: ShownChat[] }>('GET', '/api/v1/chat-servers'), ({ chats }) => {
        table(chats, [
          { heading: 'chat server', cell: (one) => one.name },
          { heading: 'server name', cell: (one) => one.serverName },
          { heading: 'channels', cell: (one) => one.channels, isNumber: true },
          { heading: 'placements', cell: (one) => one.tabs, isNumber: true },
          { heading: 'last event', cell: (one) => shortTime(one.heardAt) },
          { heading: 'members synced', cell: (one) => shortTime(one.comparedAt) },
          { heading: 'problem', cell: (one) => one.problem?.code ?? '' },
        ]);
        if (chats.length === 0) line('No chat servers.');
      });
    });
  chat
    .command('show <name>')
    .description('Show a chat server')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownChat>('GET', chatPath(name)), (one) => {
        line(`${one.title}, ${one.serverName}: ${one.teams} spaces, ${one.channels} channels, ${one.tabs} placements`);
        if (one.setup)
          line(`homeserver ${one.setup.homeserver}, allowed origins: ${one.setup.origins.join(', ') || 'none'}`);
        if (one.setup?.addressDomain) line(`email domain ${one.setup.addressDomain}`);
        if (one.problem) line(`since ${shortTime(one.problem.since)}: ${one.problem.message} (${one.problem.code})`);
      });
    });
  withChatOptions(
    chat.command('connect <name>').description('Connect a chat server and print its registration file'),
  ).action(async (name: string, options: ChatOptions, command: Command) => {
    const body = { name, ...chatBody(options) };
    show(command, await callApi<{ registration: string }>('POST', '/api/v1/chat-servers', { body }), (made) =>
      line(made.registration.trimEnd()),
    );
  });
  withChatOptions(chat.command('update <name>').description('Change the settings of a chat server')).action(
    async (name: string, options: ChatOptions, command: Command) => {
      const changed = await callApi<ShownChat>('PUT', chatPath(name), { body: chatBody(options) });
      show(command, changed, (one) => line(`Chat server “${one.title}” updated.`));
    },
  );
  chat
    .command('rotate-keys <name>')
    .description('Create new keys and print the registration file')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<{ registration: string }>('POST', `${chatPath(name)}/rotate-keys`), (made) =>
        line(made.registration.trimEnd()),
      );
    });
  chat
    .command('sync-members <name>')
    .description('Sync the members of all channels')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ComparedMembers>('POST', `${chatPath(name)}/sync-members`), (one) =>
        line(`${one.members} members in ${one.rooms} spaces and channels; ${one.joined} added, ${one.left} removed`),
      );
    });
  chat
    .command('disconnect <name>')
    .description('Disconnect a chat server')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', chatPath(name));
      show(command, { disconnected: name }, () => line(`Chat server “${name}” disconnected.`));
    });
}

interface ChannelPlacementOptions {
  readonly chatServer: string;
  readonly channel: string;
  readonly report?: string;
  readonly page?: string;
  readonly figure?: string;
  readonly board?: string;
  readonly title?: string;
  readonly nameInChannel?: string;
  readonly announce?: string;
  readonly announceOn: readonly string[];
}

/** Placements in channels. */
export function addChannelCommands(program: Command): void {
  addChatCommands(program);
  program
    .command('channel')
    .description('Channels')
    .command('list')
    .description('List your channels')
    .action(async (_options, command: Command) => {
      show(command, await callApi<{ teams: ShownTeam[] }>('GET', '/api/v1/channels'), ({ teams }) => {
        const channels = teams.flatMap((team) => team.channels.map((one) => ({ team: team.name, ...one })));
        table(channels, [
          { heading: 'team', cell: (one) => one.team },
          { heading: 'channel', cell: (one) => one.name },
          { heading: 'members', cell: (one) => one.members, isNumber: true },
          { heading: 'placements', cell: (one) => one.tabs.map((tab) => tab.name).join(', ') },
          { heading: 'to place tabs', cell: (one) => one.why ?? 'yes' },
        ]);
        if (channels.length === 0) line('You are in no channel that the service is in, too.');
      });
    });
  const placement = program.command('channel-placement').description('Placements in channels');
  placement
    .command('list')
    .description('List placements in channels')
    .action(async (_options, command: Command) => {
      show(command, await callApi<{ tabs: ShownTab[] }>('GET', '/api/v1/channel-placements'), ({ tabs }) => {
        table(tabs, [
          { heading: 'placement', cell: (one) => one.placement },
          { heading: 'name in channel', cell: (one) => one.name },
          { heading: 'channel', cell: (one) => [one.channel.team, one.channel.name].filter(Boolean).join(' / ') },
          { heading: 'content', cell: placementLabel },
          { heading: 'members', cell: (one) => one.members, isNumber: true },
          { heading: 'state', cell: (one) => one.problem?.code ?? one.state },
        ]);
        if (tabs.length === 0) line('No placements in your channels.');
      });
    });
  placement
    .command('show <name>')
    .description('Show a placement in a channel')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownTab>('GET', tabPath(name)), (one) => {
        line(
          `“${one.name}” in ${one.channel.name} shows the ${placementLabel(one)} to ${one.members} members: ${one.state}`,
        );
        line(`access granted by ${one.by ?? 'a deleted user'}; ${one.link}`);
        if (one.news.length > 0) line(`announcements: ${one.news.join(', ')}`);
        if (one.problem) line(`since ${shortTime(one.problem.since)}: ${one.problem.message} (${one.problem.code})`);
      });
    });
  placement
    .command('save <name>')
    .description('Save a placement in a channel')
    .requiredOption('--chat-server <name>', 'chat server')
    .requiredOption('--channel <name>', 'channel')
    .option('--report <name>', 'report')
    .option('--page <name>', 'page')
    .option('--figure <name>', 'figure')
    .option('--board <name>', 'board')
    .option('--title <text>', 'title')
    .option('--name-in-channel <text>', 'name that members see in the channel')
    .option('--announce <text>', 'send this announcement now')
    .option('--announce-on <event>', `announce automatically: ${announcementEvents.join(', ')}; repeatable`, all, [])
    .addHelpText(
      'after',
      '\nExample:\n  underbell channel-placement save leads --chat-server skerrow --channel "Quay leads" --report quay-punctuality --announce "Here it is"',
    )
    .action(async (name: string, options: ChannelPlacementOptions, command: Command) => {
      const { chatServer, channel, report, page, figure, board, title, nameInChannel, announce, announceOn } = options;
      const shows = { title: title ?? report ?? board ?? name, report, page, figure, board };
      const body = { chat: chatServer, channel, tab: nameInChannel, tell: announce, news: announceOn, shows };
      show(command, await callApi<ShownTab>('PUT', tabPath(name), { body }), (one) =>
        line(
          `“${one.name}” saved in channel “${one.channel.name}”: ${one.members} members${one.state === 'placed' ? '' : ', pending'}.`,
        ),
      );
    });
  placement
    .command('announce <name> [message]')
    .description('Send an announcement to the channel')
    .action(async (name: string, message: string | undefined, _options, command: Command) => {
      const body = { words: message ?? '' };
      show(command, await callApi<ShownTab>('POST', `${tabPath(name)}/announce`, { body }), (one) =>
        line(`Announcement sent to “${one.channel.name}”.`),
      );
    });
  placement
    .command('delete <name>')
    .description('Remove a placement from its channel')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', tabPath(name));
      show(command, { deleted: name }, () => line(`Placement “${name}” removed from its channel.`));
    });
}
