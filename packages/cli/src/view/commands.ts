import type { Command } from 'commander';
import { formatCell } from '@underbell/core/format';
import type { FigureResult } from '@underbell/core/report';
import { collect, readPairs } from '../platform/files.ts';
import { line, plural, show, strong, table } from '../platform/output.ts';
import { askService } from '../platform/service.ts';

interface Limit {
  readonly origin: string;
  readonly name: string;
  readonly words: string;
  readonly rowsLeft: number;
}

interface Seen {
  readonly as: { readonly name: string; readonly email: string };
  readonly right: { readonly level: string; readonly because: string };
  readonly datasets: readonly {
    readonly dataset: string;
    readonly rowsTotal: number;
    readonly rows: number;
    readonly limits: readonly Limit[];
  }[];
  readonly figures: readonly { readonly name: string; readonly title: string; readonly kind: string }[];
  readonly results: Readonly<Record<string, FigureResult>>;
}

const taste = { locale: 'en-GB', timeZone: 'UTC' };

function showSeen(seen: Seen): void {
  line(
    `${strong(seen.as.name)} ${seen.right.level === 'none' ? 'has no right here' : `may ${seen.right.level}`}: ${seen.right.because}`,
  );
  for (const { dataset, rowsTotal, limits } of seen.datasets) {
    line();
    table(
      [{ origin: '', name: '', words: 'every row', rowsLeft: rowsTotal }, ...limits],
      [
        { heading: dataset, cell: (one) => one.origin },
        { heading: 'name', cell: (one) => one.name },
        { heading: 'limit', cell: (one) => one.words },
        { heading: 'rows left', cell: (one) => one.rowsLeft, isNumber: true },
      ],
    );
  }
  if (seen.figures.length > 0) line();
  for (const { name, title, kind } of seen.figures) {
    const result = seen.results[name];
    if (!result) continue;
    const [measure] = result.columns;
    const said =
      kind === 'number'
        ? `${formatCell(result.rows[0]?.[0], measure!, taste)}${measure!.unit ? ` ${measure!.unit}` : ''}`
        : plural(result.rows.length, 'row');
    line(`${title}: ${said}`);
  }
}

export function addSeeCommand(program: Command): void {
  program
    .command('see <report>')
    .description('what a person would see of a report, and why')
    .requiredOption('--as <email>', 'the person')
    .option('--page <page>', 'the page')
    .option('--where <filter>', 'CQL2 text that narrows further')
    .option('--param <name=value>', 'a parameter of the report; may be repeated', collect, [])
    .addHelpText(
      'after',
      '\nExample:\n  underbell see quay-punctuality --as quay17@skerrow.example --param month=2026-10-01',
    )
    .action(
      async (
        report: string,
        options: { as: string; page?: string; where?: string; param: string[] },
        command: Command,
      ) => {
        const { as, page, where, param } = options;
        const seen = await askService<Seen>('GET', `/api/v1/reports/${encodeURIComponent(report)}/see`, {
          query: { ...readPairs(param, '--param'), as, page, where },
        });
        show(command, seen, showSeen);
      },
    );
}
