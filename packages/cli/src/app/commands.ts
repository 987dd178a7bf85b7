import type { AppPage, AppPlace, CompanyChoice, PageItem, PageShared, ShownApp, SidePanel } from '@underbell/core/app';
import { placementLabel } from '@underbell/core/placement';
import type { Command } from 'commander';
import { collect, readPairs } from '../platform/files.ts';
import { line, plural, shortTime, show, table } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { callApi } from '../platform/service.ts';

const appPath = (name: string) => `/api/v1/apps/${encodeURIComponent(name)}`;
const placePath = (name: string, place: string) => `${appPath(name)}/places/${encodeURIComponent(place)}`;
const pagePath = (name: string, page: string) => `${appPath(name)}/pages/${encodeURIComponent(page)}`;

interface SetupOptions {
  readonly title: string;
  readonly origin: string[];
  readonly client?: string;
  readonly company?: string;
  readonly chart: string[];
}

/** `record.company` or `person.company`. */
function readCompany(text: string | undefined) {
  if (text === undefined) return null;
  const [, from, name] = /^(record|person)\.(.+)$/.exec(text) ?? [];
  if (from !== undefined && name !== undefined) return { from, name };
  throw localProblem('INPUT_INVALID', `\`${text}\` is neither record.FIELD nor person.ATTRIBUTE`, {
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
  switchedAt === undefined ? 'never switched' : `by ${switchedBy ?? ''} ${shortTime(switchedAt)}`;

function tellPlace({ placement, title, inPanel, offers, companies, ...shows }: AppPlace): void {
  line();
  line(`${placement}: ${title}, ${placementLabel(shows)}${inPanel ? ', in side panels' : ''}`);
  if (offers.length > 0) line(`  a company may have instead: ${offers.join(', ')}`);
  for (const one of companies.filter(({ counts }) => counts))
    line(`  ${one.company} has ${one.shows ?? 'the standard'} (${one.by}, ${shortTime(one.at)})`);
}

function tellApp(one: ShownApp): void {
  line(`${one.title}: ${one.isOn ? 'on' : 'off'}, ${switched(one)}`);
  if (one.origins.length > 0) line(`pages of ${one.origins.join(', ')}`);
  if (one.client !== null) line(`asks for tokens as ${one.client}`);
  if (one.company) line(`company from ${one.company.from}.${one.company.name}`);
  for (const { name, title, address } of one.charts) line(`chart ${name}: ${title}, ${address}`);
  for (const place of one.places) tellPlace(place);
}

/** Apps as their administrators know them. */
function addSetup(app: Command): void {
  app
    .command('list')
    .description('business apps that show reports, as far as you may see them')
    .action(async (_options, command: Command) => {
      show(command, await callApi<{ apps: ShownApp[] }>('GET', '/api/v1/apps'), ({ apps }) => {
        table(apps, [
          { heading: 'app', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'state', cell: (one) => (one.isOn ? 'on' : 'off') },
          { heading: 'switched', cell: switched },
          { heading: 'places', cell: (one) => one.places.length, isNumber: true },
        ]);
        if (apps.length === 0) line('There is no app that you may see.');
      });
    });
  app
    .command('show <name>')
    .description('one of them, with what stands in it and what companies chose')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownApp>('GET', appPath(name)), tellApp);
    });
  app
    .command('save <name>')
    .description('make an app known, or change it (for administrators); it is off until it is switched on')
    .requiredOption('--title <text>', 'what people call it')
    .option('--origin <origin>', 'of its pages; may be repeated', collect, [])
    .option('--client <name>', 'the program by which its server asks for access tokens')
    .option('--company <from>', 'where the company of somebody is told: record.FIELD or person.ATTRIBUTE')
    .option('--chart <name=address title>', 'a chart of its own for mixed pages; may be repeated', collect, [])
    .action(async (name: string, options: SetupOptions, command: Command) => {
      const { title, origin, client = null } = options;
      const charts = readCharts(options.chart);
      const body = { title, origins: origin, client, company: readCompany(options.company), charts };
      show(command, await callApi<ShownApp>('PUT', appPath(name), { body }), tellApp);
    });
  for (const state of ['on', 'off'] as const)
    app
      .command(`${state} <name>`)
      .description(`switch reports ${state} in an app, at once and everywhere (for administrators)`)
      .action(async (name: string, _options, command: Command) => {
        const answer = await callApi<ShownApp>('POST', `${appPath(name)}/${state}`);
        show(command, answer, (one) => line(`Reports are ${state} in ${one.title}.`));
      });
  app
    .command('remove <name>')
    .description('take an app away; what stood in it stays as it is (for administrators)')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', appPath(name));
      show(command, { removed: name }, () => line(`The app ${name} is gone.`));
    });
}

const choices = (places: readonly AppPlace[], name: string): readonly CompanyChoice[] =>
  places.find((one) => one.placement === name)?.companies ?? [];

/** What stands in an app, and what each company has there. */
function addPlaces(app: Command): void {
  app
    .command('place <name> <placement>')
    .description('put a placement into an app, or change what companies may have there instead')
    .option('--in-panel', 'people may have it in their side panel')
    .option('--offer <placement>', 'another placement of the app that a company may have; may be repeated', collect, [])
    .action(
      async (name: string, placement: string, options: { inPanel?: boolean; offer: string[] }, command: Command) => {
        const body = { inPanel: options.inPanel === true, offers: options.offer };
        const answer = await callApi<ShownApp>('PUT', placePath(name, placement), { body });
        show(command, answer, ({ places }) => places.filter((one) => one.placement === placement).forEach(tellPlace));
      },
    );
  app
    .command('take-out <name> <placement>')
    .description('take a placement out of an app; it stays what it is')
    .action(async (name: string, placement: string, _options, command: Command) => {
      await callApi('DELETE', placePath(name, placement));
      show(command, { takenOut: placement }, () => line(`${placement} stands in ${name} no more.`));
    });
  app
    .command('choose <name> <placement> <company> [shows]')
    .description('choose what everybody of a company has in a place; the standard, where nothing is named')
    .action(
      async (name: string, placement: string, company: string, shows: string | undefined, _o, command: Command) => {
        const body = { company, shows: shows ?? null };
        const answer = await callApi<ShownApp>('PUT', `${placePath(name, placement)}/company`, { body });
        show(command, answer, () => line(`${company} has ${shows ?? 'the standard'} there now.`));
      },
    );
  app
    .command('choices <name> <placement>')
    .description('what was chosen for companies in a place, the newest first')
    .action(async (name: string, placement: string, _options, command: Command) => {
      const answer = await callApi<ShownApp>('GET', appPath(name));
      show(command, choices(answer.places, placement), (all) => {
        table(all, [
          { heading: 'number', cell: (one) => one.id, isNumber: true },
          { heading: 'company', cell: (one) => one.company },
          { heading: 'has', cell: (one) => one.shows ?? 'the standard' },
          { heading: 'by', cell: (one) => one.by },
          { heading: 'at', cell: (one) => shortTime(one.at) },
          { heading: '', cell: (one) => (one.counts ? 'counts' : '') },
        ]);
      });
    });
  app
    .command('back <name> <placement> <number>')
    .description('have an earlier choice of a company back, by its number')
    .action(async (name: string, placement: string, number: string, _options, command: Command) => {
      const body = { id: Number(number) };
      const answer = await callApi<ShownApp>('POST', `${placePath(name, placement)}/company/back`, { body });
      show(command, answer, ({ places }) => {
        const [now] = choices(places, placement);
        line(`${now?.company ?? ''} has ${now?.shows ?? 'the standard'} there now.`);
      });
    });
}

/** `report/page/figure`, or `chart:name`. */
function readItem(text: string): PageItem {
  if (text.startsWith('chart:')) return { chart: text.slice('chart:'.length) };
  const [report, page, figure, ...more] = text.split('/');
  if (report && page && figure && more.length === 0) return { report, page, figure };
  throw localProblem('INPUT_INVALID', `\`${text}\` is neither report/page/figure nor chart:name`, { word: text });
}

/** What people who use an app have there of their own. */
function addOwn(app: Command): void {
  app
    .command('panel <name>')
    .description('your own side panel in an app; chosen and ordered with --has')
    .option('--has <placement>', 'one of its reports, in your order; may be repeated', collect, [])
    .action(async (name: string, { has }: { has: string[] }, command: Command) => {
      const path = `${appPath(name)}/panel`;
      const answer =
        has.length > 0
          ? await callApi<SidePanel>('PUT', path, { body: { chosen: has } })
          : await callApi<SidePanel>('GET', path);
      show(command, answer, ({ may, chosen }) => {
        for (const one of chosen) line(`${one}  ${may.find(({ placement }) => placement === one)?.title ?? ''}`);
        const rest = may.filter((one) => !chosen.includes(one.placement));
        if (rest.length > 0) line(`left out: ${rest.map((one) => one.placement).join(', ')}`);
      });
    });
  app
    .command('pages <name>')
    .description('mixed pages of an app: your own and those shared with you')
    .action(async (name: string, _options, command: Command) => {
      type Pages = { pages: AppPage[]; charts: { name: string; title: string }[] };
      show(command, await callApi<Pages>('GET', `${appPath(name)}/pages`), ({ pages, charts }) => {
        table(pages, [
          { heading: 'page', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'holds', cell: (one) => plural(one.items.length, 'figure') },
          { heading: 'you may', cell: (one) => one.right },
        ]);
        if (charts.length > 0) line(`charts of the app: ${charts.map((one) => `chart:${one.name}`).join(', ')}`);
      });
    });
  app
    .command('page <name> <page> <items...>')
    .description('save a page of figures (report/page/figure) and charts of the app (chart:name), in this order')
    .requiredOption('--title <text>', 'what people read')
    .action(async (name: string, page: string, items: string[], options: { title: string }, command: Command) => {
      const body = { title: options.title, items: items.map(readItem) };
      const answer = await callApi<AppPage>('PUT', pagePath(name, page), { body });
      show(command, answer, (one) => line(`“${one.title}” holds ${plural(one.items.length, 'figure')}.`));
    });
  app
    .command('share <name> <page> <person>')
    .description('share a page with a colleague, who sees it under their own rights')
    .option('--level <level>', 'view, export, edit or own', 'view')
    .action(async (name: string, page: string, person: string, { level }: { level: string }, command: Command) => {
      const answer = await callApi<PageShared>('POST', `${pagePath(name, page)}/share`, { body: { person, level } });
      show(command, answer, ({ unseen }) => {
        line(`${person} may ${level} it now.`);
        if (unseen.length > 0) line(`They will not see: ${unseen.join(', ')}.`);
      });
    });
}

export function addAppCommands(program: Command): void {
  const app = program.command('app').description('business apps: reports beside their records');
  addSetup(app);
  addPlaces(app);
  addOwn(app);
}
