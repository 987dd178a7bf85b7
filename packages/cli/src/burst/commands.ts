import type { Command } from 'commander';
import { writeFile } from 'node:fs/promises';
import { collect, readJsonFile } from '../platform/files.ts';
import { faint, line, plural, show, table, wantsJson } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { askService, callService } from '../platform/service.ts';
import { exitCodeOf, followRun, summaryLine, type LedgerEntry, type RunCounts, type ShownRun } from './runProgress.ts';

interface Plan {
  readonly title: string;
  readonly period: { readonly name: string; readonly words: string };
  readonly sender: string;
  readonly limits: readonly { readonly origin: string; readonly name: string; readonly words: string }[];
  readonly counts: RunCounts & { readonly rows: number; readonly files: number };
  /** The run before; nothing when there was none. */
  readonly before?: {
    readonly run: number;
    readonly period: string;
    readonly copies: number;
    readonly expectedMs?: number;
  };
  readonly destination: {
    readonly name: string;
    readonly kind: string;
    readonly state: string;
    readonly reason: string | null;
    readonly limits: readonly string[];
    readonly leastMs: number;
    readonly folder?: string;
    readonly isAnnounced?: boolean;
  };
  readonly template?: {
    readonly name: string;
    readonly version: number;
    readonly filled: readonly string[];
    readonly computed: readonly string[];
    readonly left: readonly string[];
    readonly warnings: readonly string[];
  };
  readonly gone: readonly string[];
  readonly bytes: number;
  readonly entries: readonly {
    recipient: string;
    address: string;
    rows: number;
    files: { name: string }[];
    action: string;
    reason?: string;
    filter: string;
    rowsBefore?: number;
    mark?: string;
  }[];
}

interface PeriodOptions {
  readonly period?: string;
  readonly again: boolean;
}

const burstPath = (name: string) => `/api/v1/bursts/${encodeURIComponent(name)}`;

const megabytes = (bytes: number) =>
  bytes < 1e6 ? `${Math.round(bytes / 1000)} kB` : `${(bytes / 1e6).toFixed(1)} MB`;

function showPlan(plan: Plan): void {
  table(plan.entries, [
    { heading: 'recipient', cell: (one) => one.recipient },
    { heading: 'address', cell: (one) => one.address },
    { heading: 'rows', cell: (one) => one.rows, isNumber: true },
    ...(plan.before
      ? [
          { heading: 'rows before', cell: (one: Plan['entries'][number]) => one.rowsBefore ?? '', isNumber: true },
          { heading: 'striking', cell: (one: Plan['entries'][number]) => one.mark },
        ]
      : []),
    { heading: 'files', cell: (one) => one.files.map((file) => file.name).join(', ') },
    { heading: 'skipped, or what is special', cell: (one) => one.reason },
  ]);
  line();
  for (const limit of plan.limits) line(faint(`limit for all, ${limit.origin} ${limit.name}: ${limit.words}`));
  const { counts, before, gone } = plan;
  if (before) {
    const marks = plan.entries.filter((one) => one.mark !== undefined).length;
    const time =
      before.expectedMs === undefined ? '' : `, about ${Math.max(1, Math.round(before.expectedMs / 1000))} s`;
    line(
      `Beside run ${before.run} (${before.period}, ${plural(before.copies, 'copy', 'copies')}): ${marks} striking${gone.length > 0 ? `, gone: ${gone.join(', ')}` : ''}. About ${megabytes(plan.bytes)}${time}.`,
    );
  }
  if (plan.template) {
    const { name, version, filled, computed, left, warnings } = plan.template;
    line(
      `Workbook ${name}, version ${version}: filled are ${filled.join(', ')}${computed.length > 0 ? `; computed ${computed.join(', ')}` : ''}${left.length > 0 ? `; left for people ${left.join(', ')}` : ''}.`,
    );
    for (const one of warnings) line(`Note: ${one}.`);
  }
  const { destination } = plan;
  const least =
    destination.leastMs >= 1_000 ? `, which takes ${Math.round(destination.leastMs / 1000)} s at least` : '';
  const limits = destination.limits.length > 0 ? `; it takes ${destination.limits.join(', ')}${least}` : '';
  line(
    `${destination.kind === 'mail' ? 'By mail' : `To the ${destination.kind} ${destination.name}`}${destination.folder ? `, into ${destination.folder}` : ''}${destination.isAnnounced ? ', announced by mail' : ''}${limits}.`,
  );
  if (destination.state !== 'ready')
    line(`It is ${destination.state}: ${destination.reason}. The run would wait for it.`);
  const refused = plan.entries.filter((one) => one.action === 'refuse');
  if (refused.length > 0) line(`The run would be refused: ${refused.length} without rows.`);
  line(
    `${plan.title}, ${plan.period.words}: ${plural(counts.planned, 'copy', 'copies')} of ${plural(counts.rows, 'row')}, ${plural(counts.files, 'file')}; ${counts.skipped} of ${counts.recipients} recipients skipped. Nothing has been sent.`,
  );
}

const linkWords = ({ fetched, isRecalled }: NonNullable<LedgerEntry['link']>) =>
  isRecalled ? 'recalled' : fetched === 0 ? 'not fetched' : `fetched ${fetched} times`;

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
    ...(entries.some((one) => one.link)
      ? [{ heading: 'links', cell: (one: LedgerEntry) => (one.link ? linkWords(one.link) : '') }]
      : []),
    { heading: 'reason', cell: (one) => one.reason },
  ]);
}

async function run(
  name: string,
  options: PeriodOptions & { wait: boolean; only: string[]; test: boolean },
  command: Command,
): Promise<void> {
  const { period, again, wait, only, test } = options;
  const started = await askService<ShownRun>('POST', `${burstPath(name)}/runs`, {
    body: { period, again, isTest: test, ...(only.length > 0 ? { only } : {}) },
  });
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
    .option('--only <recipient>', 'for this recipient alone; may be repeated', collect, [])
    .option('--test', 'send every copy to yourself instead; nobody counts as having theirs', false)
    .option('--no-wait', 'start it and return at once')
    .action(run);
  burst
    .command('status [name]')
    .description('the ledger of the last run, one line per recipient')
    .option('--run <id>', 'of a given run')
    .action(status);
  burst
    .command('sample <name> <recipient>')
    .description('write the very file that one recipient would get')
    .option('--period <period>', '2026-10 for a month, 2026-10-01 for a day')
    .option('--format <format>', 'csv, jsonl, xlsx, pdf or png; the first of the burst when left out')
    .option('--out <file>', 'where to; its own name when left out')
    .action(
      async (
        name: string,
        recipient: string,
        { out, ...query }: { period?: string; format?: string; out?: string },
        command: Command,
      ) => {
        const answer = await callService('GET', `${burstPath(name)}/sample`, { query: { recipient, ...query } });
        const own = /filename="([^"]+)"/.exec(answer.headers.get('content-disposition') ?? '')?.[1] ?? 'sample';
        const bytes = Buffer.from(await answer.arrayBuffer());
        await writeFile(out ?? own, bytes);
        show(command, { file: out ?? own, bytes: bytes.length }, (made) =>
          line(`${made.file}, ${megabytes(made.bytes)}`),
        );
      },
    );
  burst
    .command('times <name>')
    .description('when a burst runs by itself: in words, and the next ten times')
    .option('--calendar <file>', 'write them as a calendar (.ics) instead')
    .action(async (name: string, options: { calendar?: string }, command: Command) => {
      if (options.calendar !== undefined) {
        await writeFile(options.calendar, await (await callService('GET', `${burstPath(name)}/times.ics`)).text());
        return show(command, { file: options.calendar }, ({ file }) => line(`The next times are in ${file}.`));
      }
      type Times = { words: string; times: { words: string; periodWords?: string }[] };
      show(command, await askService<Times>('GET', `${burstPath(name)}/times`), ({ words, times }) => {
        line(`${name}: ${words}`);
        for (const one of times) line(`  ${one.words}${one.periodWords ? `, about ${one.periodWords}` : ''}`);
      });
    });
  const steer = (act: string, description: string, said: (run: ShownRun, id: string) => string) =>
    burst
      .command(`${act} <run>`)
      .description(description)
      .action(async (id: string, _options, command: Command) => {
        const answer = await askService<ShownRun>('POST', `/api/v1/runs/${encodeURIComponent(id)}/${act}`);
        show(command, answer, () => line(said(answer, id)));
      });
  steer('pause', 'pause a run; what is on its way arrives', (_run, id) => `Run ${id} is being paused.`);
  steer('continue', 'let a paused run go on', (_run, id) => `Run ${id} goes on.`);
  steer(
    'retry',
    'run once more for those whose copy failed',
    (run, id) => `Run ${run.id} tries again what failed in run ${id}: underbell burst status --run ${run.id}`,
  );
  steer('stop', 'stop a run; what has left stays sent', (_run, id) => `Run ${id} is being stopped.`);
  burst
    .command('recall <run>')
    .description('take the links of a run back; who holds one reads that it was recalled')
    .option('--only <recipient>', 'of this recipient alone')
    .action(async (id: string, options: { only?: string }, command: Command) => {
      const body = options.only === undefined ? {} : { recipient: options.only };
      const path = `/api/v1/runs/${encodeURIComponent(id)}/recall`;
      const answer = await askService<{ recalled: number }>('POST', path, { body });
      show(command, answer, ({ recalled }) => line(`${plural(recalled, 'link')} recalled.`));
    });
  burst
    .command('file <run> <recipient> <file>')
    .description('write a kept file of a run, as it was sent')
    .option('--out <file>', 'where to; its own name when left out')
    .action(async (id: string, recipient: string, file: string, options: { out?: string }, command: Command) => {
      const path = `/api/v1/runs/${encodeURIComponent(id)}/file`;
      const answer = await callService('GET', path, { query: { recipient, file } });
      const bytes = Buffer.from(await answer.arrayBuffer());
      await writeFile(options.out ?? file, bytes);
      show(command, { file: options.out ?? file, bytes: bytes.length }, (made) =>
        line(`${made.file}, ${megabytes(made.bytes)}`),
      );
    });
  burst
    .command('settle <run> <recipient>')
    .description('say of a copy in doubt whether it arrived; one that did not can be sent again')
    .option('--arrived', 'it arrived')
    .option('--lost', 'it did not')
    .action(async (id: string, recipient: string, options: { arrived?: true; lost?: true }, command: Command) => {
      if ((options.arrived === true) === (options.lost === true))
        throw localProblem('INPUT_INVALID', 'say whether it did: --arrived or --lost');
      const body = { recipient, hasArrived: options.arrived === true };
      const answer = await askService<ShownRun>('POST', `/api/v1/runs/${encodeURIComponent(id)}/settle`, { body });
      show(command, answer, () => line(`The copy for ${recipient} counts as ${body.hasArrived ? 'sent' : 'failed'}.`));
    });
}

interface ListOptions {
  readonly name: string;
  readonly id?: string;
  readonly address: string;
  readonly activeFrom?: string;
  readonly activeTo?: string;
}

interface ReadOptions extends ListOptions {
  readonly dataset?: string;
  readonly where?: string;
  readonly group?: string;
  readonly each?: string;
}

interface LoadedList {
  readonly version: number;
  readonly recipients: number;
}

function showLoaded(command: Command, name: string, loaded: LoadedList): void {
  show(command, loaded, ({ version, recipients }) =>
    line(`${name}, version ${version}: ${plural(recipients, 'recipient')}`),
  );
}

export function addListCommands(program: Command): void {
  const list = program.command('list').description('recipient lists');
  const loading = list
    .command('load <file>')
    .description('load a recipient list from CSV or a workbook as its next version')
    .requiredOption('--name <name>', 'the list, made when it is new')
    .addHelpText('after', '\nExample:\n  underbell list load managers.csv --name quay-managers --id quay')
    .action(async (file: string, options: ListOptions, command: Command) => {
      const { name, ...query } = options;
      const isBook = /\.xlsx$/i.test(file);
      const type = isBook ? 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet' : 'text/csv';
      const path = `/api/v1/lists/${encodeURIComponent(name)}${isBook ? '/workbook' : ''}`;
      showLoaded(
        command,
        name,
        await askService<LoadedList>('PUT', path, { query: { ...query }, file: { path: file, type } }),
      );
    });
  const reading = list
    .command('read')
    .description('read a recipient list from a dataset or a group, before every plan and run')
    .requiredOption('--name <name>', 'the list, made when it is new')
    .option('--dataset <dataset>', 'one row of it is one recipient')
    .option('--where <filter>', 'which rows of it, in CQL2')
    .option('--group <group>', 'one person of it is one recipient, with their attributes as columns')
    .option('--each <attribute>', 'a copy for each value of this attribute, where somebody has several')
    .addHelpText(
      'after',
      '\nExamples:\n  underbell list read --name managers --dataset staff --where "role = \'manager\'" --id quay\n  underbell list read --name leads --group "District leads" --each district',
    )
    .action(async (options: ReadOptions, command: Command) => {
      const { name, dataset, where, group, each, ...roles } = options;
      if ((dataset === undefined) === (group === undefined))
        throw localProblem('INPUT_INVALID', 'say --dataset or --group, one of them');
      const from = dataset === undefined ? { group, each } : { dataset, where };
      const path = `/api/v1/lists/${encodeURIComponent(name)}/origin`;
      showLoaded(command, name, await askService<LoadedList>('PUT', path, { body: { ...roles, from } }));
    });
  for (const one of [loading, reading])
    one
      .option('--id <column>', 'the column that names a recipient; the address when left out')
      .option('--address <column>', 'the column with the mail address', 'email')
      .option('--active-from <column>', 'the column with the first day on which copies go to them')
      .option('--active-to <column>', 'the column with the last day');
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
