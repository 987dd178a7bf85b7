import type { Command } from 'commander';
import { readJsonFile } from '../platform/files.ts';
import { faint, line, plural, show, table, wantsJson } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { askService } from '../platform/service.ts';
import { exitCodeOf, followRun, summaryLine, type LedgerEntry, type RunCounts, type ShownRun } from './runProgress.ts';

interface Plan {
  readonly title: string;
  readonly period: { readonly name: string; readonly words: string };
  readonly sender: string;
  readonly limits: readonly { readonly origin: string; readonly name: string; readonly words: string }[];
  readonly counts: RunCounts & { readonly rows: number; readonly files: number };
  readonly entries: readonly {
    recipient: string;
    address: string;
    rows: number;
    files: { name: string }[];
    action: string;
    reason?: string;
    filter: string;
  }[];
}

interface PeriodOptions {
  readonly period?: string;
  readonly again: boolean;
}

const burstPath = (name: string) => `/api/v1/bursts/${encodeURIComponent(name)}`;

function showPlan(plan: Plan): void {
  table(plan.entries, [
    { heading: 'recipient', cell: (one) => one.recipient },
    { heading: 'address', cell: (one) => one.address },
    { heading: 'rows', cell: (one) => one.rows, isNumber: true },
    { heading: 'files', cell: (one) => one.files.map((file) => file.name).join(', ') },
    { heading: 'skipped because', cell: (one) => one.reason },
  ]);
  line();
  for (const limit of plan.limits) line(faint(`limit for all, ${limit.origin} ${limit.name}: ${limit.words}`));
  const { counts } = plan;
  line(
    `${plan.title}, ${plan.period.words}: ${plural(counts.planned, 'copy', 'copies')} of ${plural(counts.rows, 'row')}, ${plural(counts.files, 'file')}; ${counts.skipped} of ${counts.recipients} recipients skipped. Nothing has been sent.`,
  );
}

function showLedger(entries: readonly LedgerEntry[]): void {
  table(entries, [
    { heading: 'recipient', cell: (one) => one.recipient },
    { heading: 'address', cell: (one) => one.address },
    { heading: 'rows', cell: (one) => one.rows, isNumber: true },
    { heading: 'state', cell: (one) => one.state },
    { heading: 'files', cell: (one) => one.files.length, isNumber: true },
    {
      heading: 'kB',
      cell: (one) => Math.round(one.files.reduce((sum, file) => sum + (file.sizeBytes ?? 0), 0) / 1024),
      isNumber: true,
    },
    { heading: 'reason', cell: (one) => one.reason },
  ]);
}

async function run(name: string, options: PeriodOptions & { wait: boolean }, command: Command): Promise<void> {
  const { period, again, wait } = options;
  const started = await askService<ShownRun>('POST', `${burstPath(name)}/runs`, { body: { period, again } });
  if (!wait)
    return show(command, started, () =>
      line(`Run ${started.id} has started. Watch it: underbell burst status --run ${started.id}`),
    );
  const finished = await followRun(started.id, wantsJson(command));
  show(command, finished, (one) => {
    const bad = one.entries.filter((entry) => entry.state === 'failed' || entry.state === 'in doubt');
    if (bad.length > 0) showLedger(bad);
    summaryLine(one);
  });
  process.exitCode = exitCodeOf(finished);
}

async function status(name: string | undefined, options: { run?: string }, command: Command): Promise<void> {
  let id = options.run;
  if (id === undefined) {
    if (name === undefined) throw localProblem('INPUT_INVALID', 'say which burst, or which run with --run');
    const { runs } = await askService<{ runs: ShownRun[] }>('GET', '/api/v1/runs', { query: { burst: name } });
    if (!runs[0]) return show(command, { burst: name, runs: [] }, () => line(`${name} has not been run yet.`));
    id = String(runs[0].id);
  }
  const ledger = await askService<ShownRun>('GET', `/api/v1/runs/${encodeURIComponent(id)}`);
  show(command, ledger, (one) => {
    showLedger(one.entries);
    line();
    summaryLine(one);
  });
}

export function addBurstCommands(program: Command): void {
  const burst = program.command('burst').description('filtered copies for every recipient of a list');
  burst
    .command('list')
    .description('the bursts that you may see')
    .action(async (_options, command: Command) => {
      type Shown = {
        name: string;
        definition: { title: string; report: string; list: string };
        lastRun: ShownRun | null;
      };
      const answer = await askService<{ bursts: Shown[] }>('GET', '/api/v1/bursts');
      show(command, answer, ({ bursts }) => {
        table(bursts, [
          { heading: 'burst', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.definition.title },
          { heading: 'report', cell: (one) => one.definition.report },
          { heading: 'list', cell: (one) => one.definition.list },
          {
            heading: 'last run',
            cell: (one) => (one.lastRun ? `${one.lastRun.period}: ${one.lastRun.state}` : 'never'),
          },
        ]);
      });
    });
  burst
    .command('define <file>')
    .description('save a burst definition (format underbell-burst/1)')
    .action(async (file: string, _options, command: Command) => {
      const answer = await askService<{ name: string }>('PUT', '/api/v1/bursts', { body: readJsonFile(file) });
      show(command, answer, ({ name }) =>
        line(`The burst ${name} is saved. See what it would do: underbell burst plan ${name}`),
      );
    });
  const forPeriod = (made: Command) =>
    made
      .option('--period <period>', '2026-10 for a month, 2026-10-01 for a day')
      .option('--again', 'also to those who have this period already', false);
  forPeriod(
    burst
      .command('plan <name>')
      .description('who would get what, how many rows, who is skipped and why; sends nothing'),
  )
    .addHelpText('after', '\nExample:\n  underbell burst plan quay-pack --period 2026-10')
    .action(async (name: string, options: PeriodOptions, command: Command) => {
      show(command, await askService<Plan>('GET', `${burstPath(name)}/plan`, { query: { ...options } }), showPlan);
    });
  forPeriod(
    burst.command('run <name>').description('make and send the copies; nobody gets the same period twice unless asked'),
  )
    .option('--no-wait', 'start it and return at once')
    .action(run);
  burst
    .command('status [name]')
    .description('the ledger of the last run, one line per recipient')
    .option('--run <id>', 'of a given run')
    .action(status);
  burst
    .command('stop <run>')
    .description('stop a run; what has left stays sent')
    .action(async (id: string, _options, command: Command) => {
      const answer = await askService<ShownRun>('POST', `/api/v1/runs/${encodeURIComponent(id)}/stop`);
      show(command, answer, () => line(`Run ${id} is being stopped.`));
    });
}

export function addListCommands(program: Command): void {
  const list = program.command('list').description('recipient lists');
  list
    .command('load <file>')
    .description('load a recipient list from CSV as its next version')
    .requiredOption('--name <name>', 'the list, made when it is new')
    .option('--id <column>', 'the column that names a recipient; the address when left out')
    .option('--address <column>', 'the column with the mail address', 'email')
    .addHelpText('after', '\nExample:\n  underbell list load managers.csv --name quay-managers --id quay')
    .action(async (file: string, options: { name: string; id?: string; address: string }, command: Command) => {
      const { name, ...query } = options;
      const answer = await askService<{ version: number; recipients: number }>(
        'PUT',
        `/api/v1/lists/${encodeURIComponent(name)}`,
        { query, file: { path: file, type: 'text/csv' } },
      );
      show(command, answer, ({ version, recipients }) =>
        line(`${name}, version ${version}: ${plural(recipients, 'recipient')}`),
      );
    });
  list
    .command('list')
    .description('the lists that you may see')
    .action(async (_options, command: Command) => {
      const answer = await askService<{
        lists: { name: string; version: number; recipients: number; loadedAt: string }[];
      }>('GET', '/api/v1/lists');
      show(command, answer, ({ lists }) => {
        table(lists, [
          { heading: 'list', cell: (one) => one.name },
          { heading: 'version', cell: (one) => one.version, isNumber: true },
          { heading: 'recipients', cell: (one) => one.recipients, isNumber: true },
          { heading: 'loaded', cell: (one) => one.loadedAt.slice(0, 16).replace('T', ' ') },
        ]);
      });
    });
  list
    .command('show <name>')
    .description('the recipients of a list')
    .action(async (name: string, _options, command: Command) => {
      type Shown = { columns: string[]; recipients: { id: string; address: string; values: Record<string, string> }[] };
      const answer = await askService<Shown>('GET', `/api/v1/lists/${encodeURIComponent(name)}`);
      show(command, answer, ({ columns, recipients }) =>
        table(
          recipients,
          columns.map((column) => ({ heading: column, cell: (one) => one.values[column] })),
        ),
      );
    });
}
