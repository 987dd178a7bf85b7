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

export function addUsageCommands(program: Command): void {
  const usage = program
    .command('usage')
    .description('Usage: compute, rows, bytes and deliveries')
    .option('--by <group>', 'hour, day, kind, report, burst, place, dataset, person or format', 'day')
    .option('--report <name>', 'report')
    .option('--burst <name>', 'burst')
    .option('--from <day>', 'from this day or time; default: 30 days ago')
    .option('--to <day>', 'to this day or time')
    .addHelpText('after', '\nExample:\n  underbell usage --burst quay-pack --by format')
    .action(async (options: Record<string, string>, command: Command) => {
      const answer = await callApi<{ by: string; sums: CostSum[] }>('GET', '/api/v1/usage', { query: options });
      show(command, answer, ({ by, sums }) => {
        if (sums.length === 0) return line('No usage recorded.');
        table(sums, [
          { heading: by, cell: (one) => one.name },
          { heading: 'count', cell: (one) => one.times, isNumber: true },
          { heading: 'rows', cell: (one) => one.rows, isNumber: true },
          { heading: 'query s', cell: (one) => seconds(one.queryMs), isNumber: true },
          { heading: 'render s', cell: (one) => seconds(one.renderMs), isNumber: true },
          { heading: 'CPU s', cell: (one) => seconds(one.cpuMs), isNumber: true },
          {
            heading: 'ms (mean)',
            cell: (one) => ((one.queryMs + one.renderMs) / one.times).toFixed(1),
            isNumber: true,
          },
          { heading: 'kB', cell: (one) => Math.round(one.bytes / 1000), isNumber: true },
          {
            heading: 'from cache',
            cell: (one) => (one.hitShare === null ? '' : `${Math.round(one.hitShare * 100)} %`),
            isNumber: true,
          },
        ]);
      });
    });
  addOverTimeCommand(usage);
  addLimitCommands(usage);
}

/** How much of a width a share of the most takes, in blocks. */
const bar = (share: number, width = 30) => '█'.repeat(Math.round(share * width)) || (share > 0 ? '▏' : '');

function addOverTimeCommand(usage: Command): void {
  usage
    .command('over-time')
    .description('Show usage over time')
    .option('--interval <interval>', usageIntervals.join(', '), 'day')
    .option('--group-by <group>', costSplits.join(', '), 'kind')
    .option('--report <name>', 'report')
    .option('--burst <name>', 'burst')
    .option('--from <day>', 'from this day or time; default: 30 days ago')
    .option('--to <day>', 'to this day or time')
    .action(async ({ interval, groupBy, ...options }: Record<string, string>, command: Command) => {
      const query = { ...options, per: interval, by: groupBy };
      const answer = await callApi<CostsOverTime>('GET', '/api/v1/usage/over-time', { query });
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
          { heading: 'total', cell: (one) => bar(total(one) / most) },
        ]);
      });
    });
}

function addLimitCommands(usage: Command): void {
  usage
    .command('limits')
    .description('List usage limits of folders')
    .action(async (_: object, command: Command) => {
      const answer = await callApi<{ limits: ShownCostLimit[] }>('GET', '/api/v1/usage-limits');
      show(command, answer, ({ limits }) => {
        if (limits.length === 0) return line('No usage limits.');
        table(limits, [
          { heading: 'folder', cell: (one) => one.folder },
          { heading: 'per', cell: (one) => one.per },
          { heading: 'warns at s', cell: (one) => one.warnSeconds ?? '', isNumber: true },
          { heading: 'blocks at s', cell: (one) => one.stopSeconds ?? '', isNumber: true },
          { heading: 'used s', cell: (one) => one.usedSeconds.toFixed(1), isNumber: true },
          { heading: 'state', cell: (one) => one.state },
        ]);
      });
    });
  usage
    .command('limit <folder>')
    .description('Set the usage limit of a folder')
    .option('--interval <interval>', 'day or month', 'day')
    .option('--warn <seconds>', 'CPU seconds after which owners are notified', Number)
    .option('--block <seconds>', 'CPU seconds after which scheduled work is blocked', Number)
    .option('--remove', 'remove the limit')
    .addHelpText('after', '\nExample:\n  underbell usage limit harbour --interval day --warn 600 --block 900')
    .action(
      async (
        folder: string,
        options: { interval: string; warn?: number; block?: number; remove?: true },
        command: Command,
      ) => {
        if (options.remove) {
          await callApi('DELETE', `/api/v1/usage-limits/${encodeURIComponent(folder)}`);
          return show(command, { folder, limit: null }, () => line(`Usage limit of folder “${folder}” removed.`));
        }
        const body = {
          folder,
          per: options.interval,
          ...(options.warn === undefined ? {} : { warnSeconds: options.warn }),
          ...(options.block === undefined ? {} : { stopSeconds: options.block }),
        };
        const limit = await callApi<ShownCostLimit>('PUT', '/api/v1/usage-limits', { body });
        show(command, limit, (one) =>
          line(`Usage limit of folder “${one.folder}” saved: ${one.words}. State: ${one.state}.`),
        );
      },
    );
}
