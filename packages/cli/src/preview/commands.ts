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
      [{ origin: '', name: '', words: 'every row', rowsLeft: rowsTotal }, ...limits],
      [
        { heading: dataset, cell: (one) => one.origin },
        { heading: 'name', cell: (one) => one.name },
        { heading: 'limit', cell: (one) => one.words },
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
      `${one.dataset}: both see ${plural(one.both, 'row')}, only ${seen.as.name} ${plural(one.onlyFirst ?? 0, 'row')}, only ${seen.and.as.name} ${plural(one.onlySecond ?? 0, 'row')}`,
    );
  }
}

/** A person by address, `client:` with a client's name, or `token:` with a token's number. */
function readSubject(text: string, options: SeeOptions): object {
  const [, kind, name] = /^(client|token):(.+)$/.exec(text) ?? [];
  const place = options.in === undefined ? {} : { placement: options.in };
  const where = options.with.length === 0 ? {} : { details: { where: readPairs(options.with, '--with') } };
  if (kind === 'client') return { client: name, ...where, ...place };
  return kind ? { [kind]: name, ...place } : { person: text, ...place };
}

interface SeeOptions {
  readonly as: string;
  readonly and?: string;
  readonly in?: string;
  readonly with: string[];
  readonly page?: string;
  readonly where?: string;
  readonly param: string[];
}

export function addSeeCommand(program: Command): void {
  program
    .command('see <report>')
    .description('what somebody else would see of a report, and why')
    .requiredOption('--as <viewer>', 'a person’s address, client:NAME or token:NUMBER')
    .option('--and <viewer>', 'a second viewer, to compare with')
    .option('--in <placement>', 'in a placement')
    .option('--with <dataset=filter>', 'what a program would ask its token for; may be repeated', collect, [])
    .option('--page <page>', 'the page')
    .option('--where <filter>', 'CQL2 that narrows further, as its reader would')
    .option('--param <name=value>', 'a parameter of the report; may be repeated', collect, [])
    .addHelpText(
      'after',
      '\nExamples:\n  underbell see quay-punctuality --as quay17@skerrow.example --param month=2026-10-01\n  underbell see quay-punctuality --as ines.holt@skerrow.example --and quay17@skerrow.example',
    )
    .action(async (report: string, options: SeeOptions, command: Command) => {
      const { as, and, page, where, param } = options;
      const body = {
        as: readSubject(as, options),
        ...(and === undefined ? {} : { and: readSubject(and, options) }),
        parameters: readPairs(param, '--param'),
        page,
        where,
      };
      const seen = await callApi<SeenReport>('POST', `/api/v1/reports/${encodeURIComponent(report)}/see`, { body });
      show(command, seen, showAll);
    });
  program
    .command('see-recipient <burst> <recipient>')
    .description('what a recipient’s copy of a burst would hold, and why')
    .option('--period <period>', 'the period, such as 2026-10')
    .action(async (burst: string, recipient: string, options: { period?: string }, command: Command) => {
      const seen = await callApi<SeenCopy>('GET', `/api/v1/bursts/${encodeURIComponent(burst)}/see`, {
        query: { recipient, period: options.period },
      });
      show(command, seen, showSeen);
    });
}
