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
      ? 'nobody looked at it in the last 30 days'
      : `last looked at ${shortTime(use.lastSeenAt)}; in 30 days ${plural(use.views, 'view')} by ${plural(use.viewers, 'viewer')}`,
  );
  for (const { origin, seenAt } of use.hosts) line(`shown in ${origin}, last ${shortTime(seenAt)}`);
  if (use.dataAt !== null) line(`data of ${shortTime(use.dataAt)}`);
  for (const [code, count] of Object.entries(use.problems)) line(`of the last day: ${code}, ${count} times`);
}

export function addPlaceCommands(program: Command): void {
  const place = program.command('place').description('placements: where reports and boards are shown');
  place
    .command('list')
    .description('the placements of reports and boards that you may see')
    .option('--report <name>', 'of one report')
    .option('--board <name>', 'of one board')
    .action(async (options: { report?: string; board?: string }, command: Command) => {
      const answer = await callApi<{ placements: ShownPlacement[] }>('GET', '/api/v1/placements', {
        query: options,
      });
      show(command, answer, ({ placements }) => {
        table(placements, [
          { heading: 'placement', cell: (one) => one.name },
          { heading: 'kind', cell: (one) => one.kind },
          { heading: 'shows', cell: (one) => placementLabel(one) },
          { heading: 'edition', cell: (one) => (one.edition === undefined ? 'current' : `stays with ${one.edition}`) },
          { heading: 'last seen', cell: (one) => shortTime(one.use?.lastSeenAt) },
          { heading: 'by', cell: (one) => one.use?.viewers, isNumber: true },
          { heading: 'problems', cell: (one) => problemWords(one) },
          { heading: 'state', cell: (one) => (one.suspendedAt === undefined ? '' : 'suspended') },
          { heading: 'link', cell: (one) => one.link },
        ]);
      });
    });
  place
    .command('show <name>')
    .description('a placement with the lines to paste into a page')
    .action(async (name: string, _options, command: Command) => {
      const found = await callApi<ShownPlacement>('GET', `/api/v1/placements/${encodeURIComponent(name)}`);
      show(command, found, (answer) => {
        const edition = answer.edition === undefined ? '' : `, edition ${answer.edition}`;
        line(`${answer.title}: ${answer.kind}, ${placementLabel(answer)}${edition}`);
        if (answer.suspendedAt) line(`suspended since ${shortTime(answer.suspendedAt)}`);
        if (answer.madeBy) line(`made by ${answer.madeBy}`);
        if (answer.origins.length > 0) line(`in pages of ${answer.origins.join(', ')}`);
        line();
        line(answer.link);
        line();
        line(answer.snippet);
        line();
        line(answer.frame);
        if (answer.beside)
          line(
            `\nbeside a record with ${answer.beside.fields.map((one) => one.name).join(', ')}: underbell place lines ${answer.name}`,
          );
        if (answer.use) tellUse(answer.use);
      });
    });
  addSaving(place);
  addRecordCommands(place);
  for (const [act, description, said] of [
    ['suspend', 'take a placement out of everybody’s sight for a while', 'Nobody sees it now'],
    ['resume', 'show a suspended placement again', 'It is shown again'],
  ] as const)
    place
      .command(`${act} <name>`)
      .description(description)
      .action(async (name: string, _options, command: Command) => {
        const answer = await callApi<ShownPlacement>('POST', `${pathOf(name)}/${act}`);
        show(command, answer, (one) => line(`${said}: ${one.title}`));
      });
  place
    .command('embed <address>')
    .description('how the address of a placement is embedded by an editor of pages (oEmbed)')
    .option('--max-width <pixels>', 'no wider')
    .option('--max-height <pixels>', 'no higher')
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
  readonly kind: string;
  readonly page?: string;
  readonly figure?: string;
  readonly firstPage?: string;
  readonly edition?: string;
  readonly origin: string[];
  readonly where: string[];
  readonly param: string[];
  readonly hideBar?: boolean;
  readonly hidePages?: boolean;
  readonly theme?: string;
  readonly maxHeight?: string;
  readonly hide: string[];
  readonly figures?: string;
  readonly stacked?: boolean;
  readonly swap: string[];
}

/** `dataset.column=column`, as the API takes them. */
function readSwaps(texts: readonly string[]): Record<string, Record<string, string>> {
  const swaps: Record<string, Record<string, string>> = {};
  for (const [from, to] of Object.entries(readPairs(texts, '--swap'))) {
    const [dataset = '', column = ''] = from.split('.');
    swaps[dataset] = { ...swaps[dataset], [column]: to };
  }
  return swaps;
}

function addSaving(place: Command): void {
  place
    .command('add <name>')
    .description('save a placement of a report, one of its pages, one of its figures, or a board')
    .option('--report <name>', 'the report')
    .option('--board <name>', 'or the board')
    .requiredOption('--title <title>', 'what people read')
    .option('--kind <kind>', placeKinds.join(', '), 'portal')
    .option('--page <page>', 'this page of the report alone')
    .option('--figure <figure>', 'this figure of the page alone')
    .option('--first-page <page>', 'the page that the whole report begins with')
    .option(
      '--origin <origin>',
      'a host whose pages may frame it, such as https://portal.example; may be repeated',
      collect,
      [],
    )
    .option('--edition <number>', 'stay with this edition; follows the current one when left out')
    .option('--where <dataset=filter>', 'CQL2 text for a dataset; may be repeated', collect, [])
    .option('--param <name=value>', 'fix a parameter; may be repeated', collect, [])
    .option('--hide-bar', 'without the line of title, age and buttons')
    .option('--hide-pages', 'without the list of pages')
    .option('--theme <theme>', `${placementThemes.join(', ')}: whose colours it has`)
    .option('--max-height <pixels>', 'it scrolls inside when it would become higher')
    .option('--hide <part>', `${chartParts.join(', ')}: its charts leave them out; may be repeated`, collect, [])
    .option('--figures <names>', 'of a page: these figures alone, in this order, with commas between')
    .option('--stacked', 'of a page: one figure under the other, however wide the place is')
    .option(
      '--swap <dataset.column=column>',
      'show a column as another to everybody here; may be repeated',
      collect,
      [],
    )
    .addHelpText(
      'after',
      '\nExample:\n  underbell place add delays --report quay-punctuality --page overview --figure delay --title Delays',
    )
    .action(async (name: string, options: SaveOptions, command: Command) => {
      const { report, board, title, kind, page, figure, firstPage, edition, origin } = options;
      const body = {
        ...{ report, board, title, kind, page, figure, firstPage },
        ...(edition === undefined ? {} : { edition: Number(edition) }),
        origins: origin,
        where: readPairs(options.where, '--where'),
        parameters: readPairs(options.param, '--param'),
        swaps: readSwaps(options.swap),
        look: {
          hideBar: options.hideBar,
          hidePages: options.hidePages,
          theme: options.theme,
          ...(options.maxHeight === undefined ? {} : { maxHeight: Number(options.maxHeight) }),
          ...(options.hide.length > 0 ? { hide: options.hide } : {}),
          ...(options.figures === undefined ? {} : { figures: options.figures.split(',').map((one) => one.trim()) }),
          isStacked: options.stacked,
        },
      };
      const answer = await callApi<ShownPlacement>('PUT', pathOf(name), { body });
      show(command, answer, (made) => line(made.snippet));
    });
}
