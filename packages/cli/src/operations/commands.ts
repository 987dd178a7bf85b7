import type { Command } from 'commander';
import { jobsPerPage, type FailedJob, type ShownProcesses } from '@underbell/core/operations';
import { line, shortTime, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

const clockWords = (ms: number): string =>
  Math.abs(ms) < 1_000 ? 'ok' : `${(Math.abs(ms) / 1_000).toFixed(0)} s ${ms > 0 ? 'ahead' : 'behind'}`;

export function addOperationsCommands(program: Command): void {
  const operations = program.command('operations').description('Processes and failed jobs (administrators)');
  operations
    .command('processes')
    .description('List processes')
    .action(async (_options, command: Command) => {
      const answer = await callApi<ShownProcesses>('GET', '/api/v1/operations/processes');
      show(command, answer, ({ processes, connectionLimit }) => {
        table(processes, [
          { heading: 'host', cell: (one) => one.host },
          { heading: 'process', cell: (one) => String(one.process) },
          { heading: 'role', cell: (one) => one.role },
          { heading: 'state', cell: (one) => (one.isRunning ? 'running' : 'not seen') },
          { heading: 'clock', cell: (one) => clockWords(one.clockOffMs) },
          { heading: 'connections', cell: (one) => one.connections, isNumber: true },
          { heading: 'started', cell: (one) => shortTime(one.startedAt) },
          { heading: 'last seen', cell: (one) => shortTime(one.seenAt) },
        ]);
        line(`The database allows ${connectionLimit} connections in total.`);
      });
    });
  operations
    .command('jobs')
    .description('List failed jobs')
    .option('--before <job>', 'jobs before this number')
    .action(async (options: { before?: string }, command: Command) => {
      const query = { before: options.before };
      const answer = await callApi<{ jobs: FailedJob[] }>('GET', '/api/v1/operations/jobs', { query });
      show(command, answer, ({ jobs }) => {
        if (jobs.length === 0) return line('No failed jobs.');
        table(jobs, [
          { heading: 'job', cell: (one) => String(one.id) },
          { heading: 'kind', cell: (one) => one.kind },
          { heading: 'state', cell: (one) => one.state },
          { heading: 'tries', cell: (one) => one.attempts, isNumber: true },
          {
            heading: 'next try',
            cell: (one) => (one.nextTryAt && one.state === 'waiting' ? shortTime(one.nextTryAt) : ''),
          },
          { heading: 'error', cell: (one) => one.error ?? '' },
        ]);
        if (jobs.length >= jobsPerPage) line(`Older jobs: underbell operations jobs --before ${jobs.at(-1)!.id}`);
      });
    });
  operations
    .command('retry <job>')
    .description('Retry a failed job')
    .action(async (id: string, _options, command: Command) => {
      const answer = await callApi<{ id: number }>('POST', `/api/v1/operations/jobs/${encodeURIComponent(id)}/retry`);
      show(command, answer, () => line(`Retrying job ${id}.`));
    });
}
