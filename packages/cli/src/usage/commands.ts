import type { Command } from 'commander';
import {
  costSplits,
  usageIntervals,
  type CostsOverTime,
  type CostSum,
  type ShownCostLimit,
} from '@underbell/core/usage';
import { line, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

const seconds = (ms: number) => (ms / 1000).toFixed(ms < 10_000 ? 2 : 0);

export function addMeterCommand(program: Command): void {
  const meter = program
    .command('meter')
    .description('what views, refreshes and deliveries cost, added up')
    .option('--by <group>', 'hour, day, kind, report, burst, place, dataset, person or format', 'day')
    .option('--report <name>', 'of one report')
    .option('--burst <name>', 'of one burst; by format it shows what CSV, workbook and PDF cost')
    .option('--from <day>', 'from this day or instant on; 30 days ago when left out')
    .option('--to <day>', 'before this day or instant')
    .addHelpText('after', '\nExample:\n  underbell meter --burst quay-pack --by format')
    .action(async (options: Record<string, string>, command: Command) => {
      const answer = await callApi<{ by: string; sums: CostSum[] }>('GET', '/api/v1/meter', { query: options });
      show(command, answer, ({ by, sums }) => {
        if (sums.length === 0) return line('Nothing is written down for that yet.');
        table(sums, [
          { heading: by, cell: (one) => one.name },
          { heading: 'times', cell: (one) => one.times, isNumber: true },
          { heading: 'rows', cell: (one) => one.rows, isNumber: true },
          { heading: 'query s', cell: (one) => seconds(one.queryMs), isNumber: true },
          { heading: 'making s', cell: (one) => seconds(one.renderMs), isNumber: true },
          { heading: 'computing s', cell: (one) => seconds(one.cpuMs), isNumber: true },
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
  addOverTimeCommand(meter);
  addLimitCommands(meter);
}

/** How much of a width a share of the most takes, in blocks. */
const bar = (share: number, width = 30) => '█'.repeat(Math.round(share * width)) || (share > 0 ? '▏' : '');

function addOverTimeCommand(meter: Command): void {
  meter
    .command('over-time')
    .description('the same along time, each stretch beside the others')
    .option('--per <stretch>', usageIntervals.join(', '), 'day')
    .option('--split <group>', costSplits.join(', '), 'kind')
    .option('--report <name>', 'of one report')
    .option('--burst <name>', 'of one burst')
    .option('--from <day>', 'from this day or instant on; 30 days ago when left out')
    .option('--to <day>', 'before this day or instant')
    .action(async ({ split, ...options }: Record<string, string>, command: Command) => {
      const query = { ...options, by: split };
      const answer = await callApi<CostsOverTime>('GET', '/api/v1/meter/over-time', { query });
      show(command, answer, ({ per, names, stretches }) => {
        const total = (one: CostsOverTime['stretches'][number]) =>
          Object.values(one.sums).reduce((sum, { seconds: taken }) => sum + taken, 0);
        const most = Math.max(...stretches.map(total), 0.001);
        table(stretches, [
          { heading: per, cell: (one) => one.at },
          ...names.map((name) => ({
            heading: `${name} s`,
            cell: (one: CostsOverTime['stretches'][number]) => one.sums[name]?.seconds.toFixed(1) ?? '',
            isNumber: true as const,
          })),
          { heading: 'in all', cell: (one) => bar(total(one) / most) },
        ]);
      });
    });
}

function addLimitCommands(meter: Command): void {
  meter
    .command('limits')
    .description('how much computing folders may take, and what they have used')
    .action(async (_: object, command: Command) => {
      const answer = await callApi<{ limits: ShownCostLimit[] }>('GET', '/api/v1/cost-limits');
      show(command, answer, ({ limits }) => {
        if (limits.length === 0) return line('No folder has a limit.');
        table(limits, [
          { heading: 'folder', cell: (one) => one.folder },
          { heading: 'per', cell: (one) => one.per },
          { heading: 'warns at s', cell: (one) => one.warnSeconds ?? '', isNumber: true },
          { heading: 'stops at s', cell: (one) => one.stopSeconds ?? '', isNumber: true },
          { heading: 'used s', cell: (one) => one.usedSeconds.toFixed(1), isNumber: true },
          { heading: 'state', cell: (one) => one.state },
        ]);
      });
    });
  meter
    .command('limit <folder>')
    .description('warn its owners, or stop its bursts and refreshes, after so many seconds of computing')
    .option('--per <stretch>', 'day or month', 'day')
    .option('--warn <seconds>', 'tell its owners from here on', Number)
    .option('--stop <seconds>', 'start nothing planned from here on; readers go on looking', Number)
    .option('--none', 'take the limit away')
    .addHelpText('after', '\nExample:\n  underbell meter limit harbour --per day --warn 600 --stop 900')
    .action(
      async (folder: string, options: { per: string; warn?: number; stop?: number; none?: true }, command: Command) => {
        if (options.none) {
          await callApi('DELETE', `/api/v1/cost-limits/${encodeURIComponent(folder)}`);
          return show(command, { folder, limit: null }, () => line(`${folder} has no limit any more.`));
        }
        const body = {
          folder,
          per: options.per,
          ...(options.warn === undefined ? {} : { warnSeconds: options.warn }),
          ...(options.stop === undefined ? {} : { stopSeconds: options.stop }),
        };
        const limit = await callApi<ShownCostLimit>('PUT', '/api/v1/cost-limits', { body });
        show(command, limit, (one) => line(`${one.folder} has ${one.words}: ${one.state}.`));
      },
    );
}
