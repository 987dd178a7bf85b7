import type { Command } from 'commander';
import { placeKinds } from '@underbell/core/access';
import { chartParts } from '@underbell/core/report';
import { placementLabel, placementThemes, type ShownPlacement } from '@underbell/core/placement';
import { collect, readPairs } from '../platform/files.ts';
import { line, plural, shortTime, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';
import { addRecordCommands } from './recordCommands.ts';

const pathOf = (name: string) => `/api/v1/placements/${encodeURIComponent(name)}`;

const problemWords = ({ use }: ShownPlacement) =>
  Object.entries(use?.problems ?? {})
    .map(([code, count]) => `${code} ${count}`)
    .join(', ');

function tellUse(use: NonNullable<ShownPlacement['use']>): void {
  line();
  line(
    use.lastSeenAt === null
      ? 'not viewed in the last 30 days'
      : `last viewed ${shortTime(use.lastSeenAt)}; ${plural(use.views, 'view')} by ${plural(use.viewers, 'viewer')} in 30 days`,
  );
  for (const { origin, seenAt } of use.hosts) line(`host page ${origin}, last ${shortTime(seenAt)}`);
  if (use.dataAt !== null) line(`data as of ${shortTime(use.dataAt)}`);
  for (const [code, count] of Object.entries(use.problems)) line(`problem in the last 24 hours: ${code} (${count})`);
}

export function addPlacementCommands(program: Command): void {
  const placement = program.command('placement').description('Placements');
  placement
    .command('list')
    .description('List placements')
    .option('--report <name>', 'report')
    .option('--board <name>', 'board')
    .action(async (options: { report?: string; board?: string }, command: Command) => {
      const answer = await callApi<{ placements: ShownPlacement[] }>('GET', '/api/v1/placements', {
        query: options,
      });
      show(command, answer, ({ placements }) => {
        table(placements, [
          { heading: 'placement', cell: (one) => one.name },
          { heading: 'type', cell: (one) => one.kind },
          { heading: 'content', cell: (one) => placementLabel(one) },
          { heading: 'edition', cell: (one) => (one.edition === undefined ? 'current' : `fixed: ${one.edition}`) },
          { heading: 'last viewed', cell: (one) => shortTime(one.use?.lastSeenAt) },
          { heading: 'viewers', cell: (one) => one.use?.viewers, isNumber: true },
          { heading: 'problems', cell: (one) => problemWords(one) },
          { heading: 'state', cell: (one) => (one.suspendedAt === undefined ? '' : 'suspended') },
          { heading: 'link', cell: (one) => one.link },
        ]);
      });
    });
  placement
    .command('show <name>')
    .description('Show a placement')
    .action(async (name: string, _options, command: Command) => {
      const found = await callApi<ShownPlacement>('GET', `/api/v1/placements/${encodeURIComponent(name)}`);
      show(command, found, (answer) => {
        const edition = answer.edition === undefined ? '' : `, edition ${answer.edition}`;
        line(`${answer.title}: ${answer.kind}, ${placementLabel(answer)}${edition}`);
        if (answer.suspendedAt) line(`suspended since ${shortTime(answer.suspendedAt)}`);
        if (answer.madeBy) line(`created by ${answer.madeBy}`);
        if (answer.origins.length > 0) line(`allowed origins: ${answer.origins.join(', ')}`);
        line();
        line(answer.link);
        line();
        line(answer.snippet);
        line();
        line(answer.frame);
        if (answer.beside)
          line(
            `\nrecord fields: ${answer.beside.fields.map((one) => one.name).join(', ')}. Snippets for the host page: underbell placement snippets ${answer.name}`,
          );
        if (answer.use) tellUse(answer.use);
      });
    });
  addSaving(placement);
  addRecordCommands(placement);
  for (const [act, description, said] of [
    ['suspend', 'Suspend a placement', 'suspended'],
    ['resume', 'Resume a placement', 'resumed'],
  ] as const)
    placement
      .command(`${act} <name>`)
      .description(description)
      .action(async (name: string, _options, command: Command) => {
        const answer = await callApi<ShownPlacement>('POST', `${pathOf(name)}/${act}`);
        show(command, answer, (one) => line(`Placement “${one.title}” ${said}.`));
      });
  placement
    .command('oembed <url>')
    .description('Print the oEmbed answer for a URL')
    .option('--max-width <pixels>', 'maximum width')
    .option('--max-height <pixels>', 'maximum height')
    .action(async (url: string, options: { maxWidth?: string; maxHeight?: string }, command: Command) => {
      const query = { url, maxwidth: options.maxWidth, maxheight: options.maxHeight };
      const answer = await callApi<{ html: string }>('GET', '/oembed', { query });
      show(command, answer, ({ html }) => line(html));
    });
}

interface SaveOptions {
  readonly report?: string;
  readonly board?: string;
  readonly title: string;
  readonly type: string;
  readonly page?: string;
  readonly figure?: string;
  readonly startPage?: string;
  readonly edition?: string;
  readonly origin: string[];
  readonly filter: string[];
  readonly param: string[];
  readonly hideToolbar?: boolean;
  readonly hidePageList?: boolean;
  readonly theme?: string;
  readonly maxHeight?: string;
  readonly hide: string[];
  readonly figures?: string;
  readonly singleColumn?: boolean;
  readonly substitute: string[];
}

/** `dataset.column=column`, as the API takes them. */
function readSubstitutions(texts: readonly string[]): Record<string, Record<string, string>> {
  const swaps: Record<string, Record<string, string>> = {};
  for (const [from, to] of Object.entries(readPairs(texts, '--substitute'))) {
    const [dataset = '', column = ''] = from.split('.');
    swaps[dataset] = { ...swaps[dataset], [column]: to };
  }
  return swaps;
}

function addSaving(placement: Command): void {
  placement
    .command('save <name>')
    .description('Save a placement')
    .option('--report <name>', 'report')
    .option('--board <name>', 'board')
    .requiredOption('--title <title>', 'title')
    .option('--type <type>', placeKinds.join(', '), 'portal')
    .option('--page <page>', 'one page of the report')
    .option('--figure <figure>', 'one figure of the page')
    .option('--start-page <page>', 'page that is shown first')
    .option('--origin <origin>', 'allowed origin, example: https://portal.example; repeatable', collect, [])
    .option('--edition <number>', 'fixed edition; default: the current one')
    .option('--filter <dataset=filter>', 'CQL2 filter of a dataset; repeatable', collect, [])
    .option('--param <name=value>', 'fixed parameter; repeatable', collect, [])
    .option('--hide-toolbar', 'hide the toolbar')
    .option('--hide-page-list', 'hide the page list')
    .option('--theme <theme>', `colour scheme: ${placementThemes.join(', ')}`)
    .option('--max-height <pixels>', 'maximum height; higher content scrolls')
    .option('--hide <part>', `hide a part of charts: ${chartParts.join(', ')}; repeatable`, collect, [])
    .option('--figures <names>', 'figures of the page in this order, separated by commas')
    .option('--single-column', 'show figures in one column')
    .option('--substitute <dataset.column=column>', 'show another column instead; repeatable', collect, [])
    .addHelpText(
      'after',
      '\nExample:\n  underbell placement save delays --report quay-punctuality --page overview --figure delay --title Delays',
    )
    .action(async (name: string, options: SaveOptions, command: Command) => {
      const { report, board, title, type: kind, page, figure, startPage: firstPage, edition, origin } = options;
      const body = {
        ...{ report, board, title, kind, page, figure, firstPage },
        ...(edition === undefined ? {} : { edition: Number(edition) }),
        origins: origin,
        where: readPairs(options.filter, '--filter'),
        parameters: readPairs(options.param, '--param'),
        swaps: readSubstitutions(options.substitute),
        look: {
          hideBar: options.hideToolbar,
          hidePages: options.hidePageList,
          theme: options.theme,
          ...(options.maxHeight === undefined ? {} : { maxHeight: Number(options.maxHeight) }),
          ...(options.hide.length > 0 ? { hide: options.hide } : {}),
          ...(options.figures === undefined ? {} : { figures: options.figures.split(',').map((one) => one.trim()) }),
          isStacked: options.singleColumn,
        },
      };
      const answer = await callApi<ShownPlacement>('PUT', pathOf(name), { body });
      show(command, answer, (made) => line(made.snippet));
    });
}
