import type { Command } from 'commander';
import { line, show, table } from '../platform/output.ts';
import { askService } from '../platform/service.ts';

interface Sum {
  readonly name: string;
  readonly times: number;
  readonly rows: number;
  readonly queryMs: number;
  readonly renderMs: number;
  readonly bytes: number;
  readonly hitShare: number | null;
}

const seconds = (ms: number) => (ms / 1000).toFixed(ms < 10_000 ? 2 : 0);

export function addMeterCommand(program: Command): void {
  program
    .command('meter')
    .description('what views, refreshes and deliveries cost, added up')
    .option('--by <group>', 'hour, day, kind, report, burst, place, dataset, person or format', 'day')
    .option('--report <name>', 'of one report')
    .option('--burst <name>', 'of one burst; by format it shows what CSV, workbook and PDF cost')
    .option('--from <day>', 'from this day or instant on; 30 days ago when left out')
    .option('--to <day>', 'before this day or instant')
    .addHelpText('after', '\nExample:\n  underbell meter --burst quay-pack --by format')
    .action(async (options: Record<string, string>, command: Command) => {
      const answer = await askService<{ by: string; sums: Sum[] }>('GET', '/api/v1/meter', { query: options });
      show(command, answer, ({ by, sums }) => {
        if (sums.length === 0) return line('Nothing is written down for that yet.');
        table(sums, [
          { heading: by, cell: (one) => one.name },
          { heading: 'times', cell: (one) => one.times, isNumber: true },
          { heading: 'rows', cell: (one) => one.rows, isNumber: true },
          { heading: 'query s', cell: (one) => seconds(one.queryMs), isNumber: true },
          { heading: 'making s', cell: (one) => seconds(one.renderMs), isNumber: true },
          { heading: 'ms each', cell: (one) => ((one.queryMs + one.renderMs) / one.times).toFixed(1), isNumber: true },
          { heading: 'kB', cell: (one) => Math.round(one.bytes / 1000), isNumber: true },
          {
            heading: 'from cache',
            cell: (one) => (one.hitShare === null ? '' : `${Math.round(one.hitShare * 100)} %`),
            isNumber: true,
          },
        ]);
      });
    });
}
