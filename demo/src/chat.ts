import type { Caller } from './caller.ts';
import type { Company } from './company.ts';
import { demoPeople, directoryOf } from './people.ts';

const serverName = 'chat.skerrow.example';
const guestServer = 'harbourboard.example';
const accountOf = (email: string) => `@${email.slice(0, email.indexOf('@'))}:${serverName}`;

/** A team as the demo's chat makes it. */
export interface DemoTeam {
  readonly name: string;
  readonly owner: string;
  readonly channels: readonly { readonly name: string; readonly topic: string; readonly members: readonly string[] }[];
}

/** Who is in the demo's chat, and in which teams and channels. */
export function demoChat(company: Company) {
  const { administrator, publisher, manager } = demoPeople;
  const leads = directoryOf(company).people;
  const managers = company.quays.filter((one) => one.email !== manager.email && !one.isClosed).slice(0, 2);
  const known = [
    publisher,
    administrator,
    manager,
    ...managers.map((one) => ({ email: one.email, name: one.manager })),
    ...leads.map(({ email, name }) => ({ email, name })),
  ];
  // One who is known to the chat alone, and one of another organisation.
  const newcomer = { id: `@nell.farrow:${serverName}`, name: 'Nell Farrow' };
  const guest = { id: `@bo.lind:${guestServer}`, name: 'Bo Lind' };
  const owner = accountOf(publisher.email);
  const ids = (people: readonly { readonly email: string }[]) => people.map((one) => accountOf(one.email));
  const teams: DemoTeam[] = [
    {
      name: 'Operations',
      owner,
      channels: [
        { name: 'Quay leads', topic: 'Who leads a quay', members: [...ids([manager, ...managers]), newcomer.id] },
        { name: 'Districts', topic: 'Punctuality by district', members: ids(leads) },
      ],
    },
    {
      name: 'Harbour',
      owner,
      channels: [{ name: 'Harbour board', topic: 'With our guests', members: [guest.id, accountOf(manager.email)] }],
    },
  ];
  const users = [...known.map(({ email, name }) => ({ id: accountOf(email), name })), newcomer, guest];
  return { serverName, users, teams };
}

/** Makes the service part of the chat, as its administrator. @returns the registration for the chat's server */
export async function joinChat(caller: Caller, chatUrl: string): Promise<object> {
  const answer = await caller.call('POST', '/api/v1/chat-servers', {
    name: 'skerrow',
    title: 'Skerrow chat',
    homeserver: chatUrl,
    serverName,
    addressDomain: 'skerrow.example',
    guestServers: { [guestServer]: chatUrl },
    origins: [chatUrl],
  });
  return JSON.parse((answer as { registration: string }).registration) as object;
}

const tabs = [
  {
    name: 'quay-leads-tab',
    channel: 'Quay leads',
    tell: 'Your quay’s punctuality is in a tab now.',
    shows: { title: 'Quay punctuality', report: 'quay-punctuality' },
  },
  {
    name: 'districts-tab',
    channel: 'Districts',
    news: ['edition'],
    shows: { title: 'Punctuality of the network', report: 'punctuality' },
  },
  { name: 'harbour-tab', channel: 'Harbour board', shows: { title: 'The harbour today', board: 'harbour' } },
] as const;

/** Places the demo's tabs, as the owner of its channels: as soon as the service has come into them. */
export async function placeTabs(caller: Caller, attempts = 200): Promise<void> {
  for (let i = 0; ; i++) {
    const { teams } = (await caller.call('GET', '/api/v1/channels')) as {
      teams: { channels: { name: string; why?: string }[] }[];
    };
    const open = teams.flatMap((team) => team.channels).filter((one) => one.why === undefined);
    if (tabs.every((tab) => open.some((one) => one.name === tab.channel))) break;
    if (i === attempts) throw new Error('the service did not come into the channels of the chat');
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  for (const { name, ...tab } of tabs)
    await caller.call('PUT', `/api/v1/channel-placements/${name}`, { chat: 'skerrow', ...tab });
}
