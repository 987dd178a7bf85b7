import type { SeenCopy, SeenView, SeenReport } from '@underbell/core/preview';
import type { Command } from 'commander';
import { formatCell } from '@underbell/core/format';
import { collect, readPairs } from '../platform/files.ts';
import { line, plural, show, strong, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

const taste = { locale: 'en-GB', timeZone: 'UTC' };

function showSeen(seen: SeenView): void {
  line(`${strong(seen.as.name)} ${seen.right.because}`);
  for (const { dataset, rowsTotal, limits, masks } of seen.datasets) {
    line();
    table(
      [{ origin: '', name: '', words: 'all rows', rowsLeft: rowsTotal }, ...limits],
      [
        { heading: dataset, cell: (one) => one.origin },
        { heading: 'name', cell: (one) => one.name },
        { heading: 'filter', cell: (one) => one.words },
        { heading: 'rows left', cell: (one) => one.rowsLeft ?? '', isNumber: true },
      ],
    );
    for (const mask of masks) line(`mask ${mask.name}: ${mask.words}`);
  }
  if (seen.withheld) line(`\n${seen.withheld}`);
  if (seen.figures.length > 0) line();
  for (const { name, title, kind } of seen.figures) {
    const result = seen.results[name];
    if (!result) continue;
    const [measure] = result.columns;
    if (result.refused) {
      line(`${title}: ${result.refused.message}`);
      continue;
    }
    const said =
      kind === 'number'
        ? `${formatCell(result.rows[0]?.[0], measure!, taste)}${measure!.unit ? ` ${measure!.unit}` : ''}`
        : plural(result.rows.length, 'row');
    line(`${title}: ${said}`);
  }
}

function showAll(seen: SeenReport): void {
  showSeen(seen);
  if (!seen.and) return;
  line();
  showSeen(seen.and);
  for (const one of seen.difference ?? []) {
    if (one.both === undefined) continue;
    line();
    line(
      `${one.dataset}: both ${plural(one.both, 'row')}; only ${seen.as.name} ${plural(one.onlyFirst ?? 0, 'row')}; only ${seen.and.as.name} ${plural(one.onlySecond ?? 0, 'row')}`,
    );
  }
}

/** Reads `user:EMAIL`, `client:ID` or `token:ID`; an email address alone is a user. */
function readViewer(text: string, options: PreviewOptions): object {
  const [, kind = 'user', name = text] = /^(user|client|token):(.+)$/.exec(text) ?? [];
  const placement = options.placement === undefined ? {} : { placement: options.placement };
  const where =
    options.tokenFilter.length === 0 ? {} : { details: { where: readPairs(options.tokenFilter, '--token-filter') } };
  if (kind === 'client') return { client: name, ...where, ...placement };
  return { [kind === 'user' ? 'person' : kind]: name, ...placement };
}

interface PreviewOptions {
  readonly viewer: string;
  readonly compare?: string;
  readonly placement?: string;
  readonly tokenFilter: string[];
  readonly page?: string;
  readonly filter?: string;
  readonly param: string[];
}

export function addPreviewCommands(program: Command): void {
  program
    .command('preview-as <report>')
    .description('Preview a report as another user')
    .requiredOption('--viewer <viewer>', 'user:EMAIL, client:ID or token:ID')
    .option('--compare <viewer>', 'second viewer')
    .option('--placement <name>', 'placement')
    .option('--token-filter <dataset=filter>', 'filter that a client would request; repeatable', collect, [])
    .option('--page <page>', 'page')
    .option('--filter <filter>', 'reader filter (CQL2)')
    .option('--param <name=value>', 'parameter; repeatable', collect, [])
    .addHelpText(
      'after',
      '\nExamples:\n  underbell preview-as quay-punctuality --viewer user:quay17@skerrow.example --param month=2026-10-01\n  underbell preview-as quay-punctuality --viewer user:ines.holt@skerrow.example --compare user:quay17@skerrow.example',
    )
    .action(async (report: string, options: PreviewOptions, command: Command) => {
      const { viewer, compare, page, filter: where, param } = options;
      const body = {
        as: readViewer(viewer, options),
        ...(compare === undefined ? {} : { and: readViewer(compare, options) }),
        parameters: readPairs(param, '--param'),
        page,
        where,
      };
      const seen = await callApi<SeenReport>('POST', `/api/v1/reports/${encodeURIComponent(report)}/preview-as`, {
        body,
      });
      show(command, seen, showAll);
    });
  program.commands
    .find((one) => one.name() === 'burst')!
    .command('preview-copy <burst> <recipient>')
    .description('Preview the copy of one recipient')
    .option('--period <period>', 'period, example: 2026-10')
    .action(async (burst: string, recipient: string, options: { period?: string }, command: Command) => {
      const seen = await callApi<SeenCopy>('GET', `/api/v1/bursts/${encodeURIComponent(burst)}/copy-preview`, {
        query: { recipient, period: options.period },
      });
      show(command, seen, showSeen);
    });
}
