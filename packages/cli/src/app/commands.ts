import type { AppPage, AppPlace, CompanyChoice, PageItem, PageShared, ShownApp, SidePanel } from '@underbell/core/app';
import { placementLabel } from '@underbell/core/placement';
import type { Command } from 'commander';
import { collect, readPairs } from '../platform/files.ts';
import { line, plural, shortTime, show, table } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { callApi } from '../platform/service.ts';

const appPath = (name: string) => `/api/v1/apps/${encodeURIComponent(name)}`;
const placePath = (name: string, place: string) => `${appPath(name)}/placements/${encodeURIComponent(place)}`;
const pagePath = (name: string, page: string) => `${appPath(name)}/pages/${encodeURIComponent(page)}`;

interface SetupOptions {
  readonly title: string;
  readonly origin: string[];
  readonly client?: string;
  readonly company?: string;
  readonly chart: string[];
}

/** `record.company` or `user.company`. */
function readCompany(text: string | undefined) {
  if (text === undefined) return null;
  const [, from, name] = /^(record|user)\.(.+)$/.exec(text) ?? [];
  if (from !== undefined && name !== undefined) return { from: from === 'user' ? 'person' : from, name };
  throw localProblem('INPUT_INVALID', `“${text}” is neither record.FIELD nor user.ATTRIBUTE.`, {
    pointer: '--company',
    word: text,
  });
}

/** `name=address title of several words`. */
const readCharts = (texts: readonly string[]) =>
  Object.entries(readPairs(texts, '--chart')).map(([name, rest]) => {
    const [address = '', ...title] = rest.split(' ');
    return { name, address, title: title.join(' ') || name };
  });

const switched = ({ switchedBy, switchedAt }: ShownApp) =>
  switchedAt === undefined ? 'never enabled' : `by ${switchedBy ?? ''} ${shortTime(switchedAt)}`;

function tellPlace({ placement, title, inPanel, offers, companies, ...shows }: AppPlace): void {
  line();
  line(`${placement}: ${title}, ${placementLabel(shows)}${inPanel ? ', in side panels' : ''}`);
  if (offers.length > 0) line(`  alternatives: ${offers.join(', ')}`);
  for (const one of companies.filter(({ counts }) => counts))
    line(`  ${one.company}: ${one.shows ?? 'default'} (${one.by}, ${shortTime(one.at)})`);
}

function tellApp(one: ShownApp): void {
  line(`${one.title}: ${one.isOn ? 'enabled' : 'disabled'}, ${switched(one)}`);
  if (one.origins.length > 0) line(`allowed origins: ${one.origins.join(', ')}`);
  if (one.client !== null) line(`client ${one.client}`);
  if (one.company) line(`company from ${one.company.from}.${one.company.name}`);
  for (const { name, title, address } of one.charts) line(`chart ${name}: ${title}, ${address}`);
  for (const place of one.places) tellPlace(place);
}

/** Apps as their administrators know them. */
function addSetup(app: Command): void {
  app
    .command('list')
    .description('List business apps')
    .action(async (_options, command: Command) => {
      show(command, await callApi<{ apps: ShownApp[] }>('GET', '/api/v1/apps'), ({ apps }) => {
        table(apps, [
          { heading: 'app', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'state', cell: (one) => (one.isOn ? 'enabled' : 'disabled') },
          { heading: 'changed', cell: switched },
          { heading: 'placements', cell: (one) => one.places.length, isNumber: true },
        ]);
        if (apps.length === 0) line('No apps.');
      });
    });
  app
    .command('show <name>')
    .description('Show an app, its placements and company variants')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownApp>('GET', appPath(name)), tellApp);
    });
  app
    .command('save <name>')
    .description('Save an app (administrators); a new app is disabled')
    .requiredOption('--title <text>', 'title')
    .option('--origin <origin>', 'allowed origin; repeatable', collect, [])
    .option('--client <name>', 'client of the app server')
    .option('--company <from>', 'company of a user: record.FIELD or user.ATTRIBUTE')
    .option('--chart <name=url title>', 'chart of the app for custom pages; repeatable', collect, [])
    .action(async (name: string, options: SetupOptions, command: Command) => {
      const { title, origin, client = null } = options;
      const charts = readCharts(options.chart);
      const body = { title, origins: origin, client, company: readCompany(options.company), charts };
      show(command, await callApi<ShownApp>('PUT', appPath(name), { body }), tellApp);
    });
  for (const [action, done] of [
    ['enable', 'enabled'],
    ['disable', 'disabled'],
  ] as const)
    app
      .command(`${action} <name>`)
      .description(`${action === 'enable' ? 'Enable' : 'Disable'} reports in an app (administrators)`)
      .action(async (name: string, _options, command: Command) => {
        const answer = await callApi<ShownApp>('POST', `${appPath(name)}/${action}`);
        show(command, answer, (one) => line(`Reports ${done} in “${one.title}”.`));
      });
  app
    .command('delete <name>')
    .description('Delete an app (administrators); its placements stay')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', appPath(name));
      show(command, { deleted: name }, () => line(`App “${name}” deleted.`));
    });
}

const choices = (places: readonly AppPlace[], name: string): readonly CompanyChoice[] =>
  places.find((one) => one.placement === name)?.companies ?? [];

/** What stands in an app, and what each company has there. */
function addPlaces(app: Command): void {
  app
    .command('add-placement <name> <placement>')
    .description('Add a placement to an app, or change it')
    .option('--in-panel', 'users can add it to their side panel')
    .option('--alternative <placement>', 'placement that a company can use instead; repeatable', collect, [])
    .action(
      async (
        name: string,
        placement: string,
        options: { inPanel?: boolean; alternative: string[] },
        command: Command,
      ) => {
        const body = { inPanel: options.inPanel === true, offers: options.alternative };
        const answer = await callApi<ShownApp>('PUT', placePath(name, placement), { body });
        show(command, answer, ({ places }) => places.filter((one) => one.placement === placement).forEach(tellPlace));
      },
    );
  app
    .command('remove-placement <name> <placement>')
    .description('Remove a placement from an app')
    .action(async (name: string, placement: string, _options, command: Command) => {
      await callApi('DELETE', placePath(name, placement));
      show(command, { removed: placement }, () => line(`Placement “${placement}” removed from app “${name}”.`));
    });
  app
    .command('set-variant <name> <placement> <company> [alternative]')
    .description('Set the variant of a company; default: the placement itself')
    .action(
      async (name: string, placement: string, company: string, shows: string | undefined, _o, command: Command) => {
        const body = { company, shows: shows ?? null };
        const answer = await callApi<ShownApp>('PUT', `${placePath(name, placement)}/variant`, { body });
        show(command, answer, () => line(`Variant of “${company}” set: ${shows ?? 'default'}.`));
      },
    );
  app
    .command('variants <name> <placement>')
    .description('List company variants, newest first')
    .action(async (name: string, placement: string, _options, command: Command) => {
      const answer = await callApi<ShownApp>('GET', appPath(name));
      show(command, choices(answer.places, placement), (all) => {
        table(all, [
          { heading: 'number', cell: (one) => one.id, isNumber: true },
          { heading: 'company', cell: (one) => one.company },
          { heading: 'variant', cell: (one) => one.shows ?? 'default' },
          { heading: 'set by', cell: (one) => one.by },
          { heading: 'time', cell: (one) => shortTime(one.at) },
          { heading: '', cell: (one) => (one.counts ? 'current' : '') },
        ]);
      });
    });
  app
    .command('rollback-variant <name> <placement> <number>')
    .description('Roll back to an earlier variant')
    .action(async (name: string, placement: string, number: string, _options, command: Command) => {
      const body = { id: Number(number) };
      const answer = await callApi<ShownApp>('POST', `${placePath(name, placement)}/variant/rollback`, { body });
      show(command, answer, ({ places }) => {
        const [now] = choices(places, placement);
        line(`Variant of “${now?.company ?? ''}” set: ${now?.shows ?? 'default'}.`);
      });
    });
}

/** `report/page/figure`, or `chart:name`. */
function readItem(text: string): PageItem {
  if (text.startsWith('chart:')) return { chart: text.slice('chart:'.length) };
  const [report, page, figure, ...more] = text.split('/');
  if (report && page && figure && more.length === 0) return { report, page, figure };
  throw localProblem('INPUT_INVALID', `“${text}” is neither report/page/figure nor chart:name.`, { word: text });
}

/** What people who use an app have there of their own. */
function addOwn(app: Command): void {
  app
    .command('panel <name>')
    .description('Show or set your side panel in an app')
    .option('--item <placement>', 'placement, in this order; repeatable', collect, [])
    .action(async (name: string, { item }: { item: string[] }, command: Command) => {
      const path = `${appPath(name)}/panel`;
      const answer =
        item.length > 0
          ? await callApi<SidePanel>('PUT', path, { body: { chosen: item } })
          : await callApi<SidePanel>('GET', path);
      show(command, answer, ({ may, chosen }) => {
        for (const one of chosen) line(`${one}  ${may.find(({ placement }) => placement === one)?.title ?? ''}`);
        const rest = may.filter((one) => !chosen.includes(one.placement));
        if (rest.length > 0) line(`hidden: ${rest.map((one) => one.placement).join(', ')}`);
      });
    });
  app
    .command('pages <name>')
    .description('List custom pages: yours and those shared with you')
    .action(async (name: string, _options, command: Command) => {
      type Pages = { pages: AppPage[]; charts: { name: string; title: string }[] };
      show(command, await callApi<Pages>('GET', `${appPath(name)}/pages`), ({ pages, charts }) => {
        table(pages, [
          { heading: 'page', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'content', cell: (one) => plural(one.items.length, 'figure') },
          { heading: 'permission', cell: (one) => one.right },
        ]);
        if (charts.length > 0) line(`charts of the app: ${charts.map((one) => `chart:${one.name}`).join(', ')}`);
      });
    });
  app
    .command('save-page <name> <page> <items...>')
    .description('Save a custom page')
    .addHelpText('after', '\nITEMS are report/page/figure or chart:NAME, in this order.')
    .requiredOption('--title <text>', 'title')
    .action(async (name: string, page: string, items: string[], options: { title: string }, command: Command) => {
      const body = { title: options.title, items: items.map(readItem) };
      const answer = await callApi<AppPage>('PUT', pagePath(name, page), { body });
      show(command, answer, (one) => line(`Custom page “${one.title}” saved: ${plural(one.items.length, 'figure')}.`));
    });
  app
    .command('share <name> <page> <email>')
    .description('Share a custom page with a user')
    .option('--level <level>', 'view, export, edit or own', 'view')
    .action(async (name: string, page: string, person: string, { level }: { level: string }, command: Command) => {
      const answer = await callApi<PageShared>('POST', `${pagePath(name, page)}/share`, { body: { person, level } });
      show(command, answer, ({ unseen }) => {
        line(`Shared with “${person}” (${level}).`);
        if (unseen.length > 0) line(`They have no access to: ${unseen.join(', ')}.`);
      });
    });
}

export function addAppCommands(program: Command): void {
  const app = program.command('app').description('Business apps');
  addSetup(app);
  addPlaces(app);
  addOwn(app);
}
