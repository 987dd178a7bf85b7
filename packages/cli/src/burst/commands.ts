import type { Command } from 'commander';
import { writeFile } from 'node:fs/promises';
import { extname } from 'node:path';
import { collect, readJsonFile } from '../platform/files.ts';
import { faint, line, megabytes, plural, shortTime, show, table, wantsJson } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { callApi, callService, fetchFile } from '../platform/service.ts';
import {
  missedWords,
  type DeliveryLog,
  type LedgerEntry,
  type ShownPlan,
  type BurstTimes,
  type CheckedBurst,
  type ShownBurst,
  type Unsubscribed,
  type OwnCopy,
} from '@underbell/core/burst/apiTypes';
import { showPlan } from './preview.ts';
import { exitCodeOf, followRun, summaryLine } from './runProgress.ts';

interface PeriodOptions {
  readonly period?: string;
  readonly resend: boolean;
}

const burstPath = (name: string) => `/api/v1/bursts/${encodeURIComponent(name)}`;

const reasonOf = ({ reason, nextTryAt }: LedgerEntry) =>
  nextTryAt ? `${reason}; next try ${shortTime(nextTryAt)}` : reason;

const linkWords = ({ fetched, isRecalled }: NonNullable<LedgerEntry['link']>) =>
  isRecalled ? 'revoked' : `${plural(fetched, 'download')}`;

function showLedger(entries: readonly LedgerEntry[]): void {
  table(entries, [
    { heading: 'recipient', cell: (one) => one.recipient },
    { heading: 'email', cell: (one) => one.address },
    { heading: 'rows', cell: (one) => one.rows, isNumber: true },
    { heading: 'state', cell: (one) => one.state },
    { heading: 'files', cell: (one) => one.files.filter((file) => !file.isInline).length, isNumber: true },
    {
      heading: 'kB',
      cell: (one) => Math.round(one.files.reduce((sum, file) => sum + (file.sizeBytes ?? 0), 0) / 1024),
      isNumber: true,
    },
    ...(entries.some((one) => one.link)
      ? [{ heading: 'links', cell: (one: LedgerEntry) => (one.link ? linkWords(one.link) : '') }]
      : []),
    { heading: 'reason', cell: (one) => (one.bounce ? `bounced: ${one.bounce}` : reasonOf(one)) },
  ]);
}

async function run(
  name: string,
  options: PeriodOptions & { wait: boolean; recipient: string[]; test: boolean },
  command: Command,
): Promise<void> {
  const { period, resend: again, wait, recipient: only, test } = options;
  const started = await callApi<DeliveryLog>('POST', `${burstPath(name)}/runs`, {
    body: { period, again, isTest: test, ...(only.length > 0 ? { only } : {}) },
  });
  if (started.state === 'held')
    return show(command, started, () =>
      line(
        `Run ${started.id} is awaiting approval by ${(started.release ?? []).join(', ')}: underbell burst approve ${started.id}`,
      ),
    );
  if (!wait)
    return show(command, started, () =>
      line(`Run ${started.id} started. Show its status: underbell burst status --run ${started.id}`),
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
    if (name === undefined) throw localProblem('INPUT_INVALID', 'Specify a burst, or a run with --run.');
    const { runs } = await callApi<{ runs: DeliveryLog[] }>('GET', '/api/v1/runs', { query: { burst: name } });
    if (!runs[0]) return show(command, { burst: name, runs: [] }, () => line(`Burst “${name}” has no runs.`));
    id = String(runs[0].id);
  }
  const ledger = await callApi<DeliveryLog>('GET', `/api/v1/runs/${encodeURIComponent(id)}`);
  show(command, ledger, (one) => {
    showLedger(one.entries);
    line();
    summaryLine(one);
  });
}

export function addBurstCommands(program: Command): void {
  const burst = program.command('burst').description('Bursts: filtered copies for the recipients of a list');
  burst
    .command('list')
    .description('List bursts')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ bursts: ShownBurst[] }>('GET', '/api/v1/bursts');
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
    .command('save <file>')
    .description('Save a burst definition')
    .action(async (file: string, _options, command: Command) => {
      const answer = await callApi<{ name: string }>('PUT', '/api/v1/bursts', { body: readJsonFile(file) });
      show(command, answer, ({ name }) =>
        line(`Burst “${name}” saved. Preview its next run: underbell burst preview ${name}`),
      );
    });
  burst
    .command('check <file>')
    .description('Check a burst definition')
    .action(async (file: string, _options, command: Command) => {
      const answer = await callApi<CheckedBurst>('POST', '/api/v1/bursts/check', { body: readJsonFile(file) });
      show(command, answer, ({ name, isNew, words, strategy }) => {
        line(`Burst “${name}” is valid${isNew ? ' and new' : ''}. Schedule: ${words}.`);
        line(faint(strategy.because));
      });
    });
  burst
    .command('show <name>')
    .description('Show the definition of a burst')
    .action(async (name: string, _options, command: Command) => {
      const answer = await callApi<{ definition: object }>('GET', `/api/v1/bursts/${encodeURIComponent(name)}`);
      show(command, answer, ({ definition }) => line(JSON.stringify(definition, null, 2)));
    });
  for (const isPaused of [true, false])
    burst
      .command(`${isPaused ? 'pause' : 'resume'}-schedule <name>`)
      .description(isPaused ? 'Pause the schedule' : 'Resume the schedule')
      .action(async (name: string, _options, command: Command) => {
        const path = `/api/v1/bursts/${encodeURIComponent(name)}/schedule`;
        const answer = await callApi<{ words: string }>('PUT', path, { body: { isPaused } });
        show(command, answer, ({ words }) => line(`Burst “${name}”: ${words}.`));
      });
  const forPeriod = (made: Command) =>
    made
      .option('--period <period>', 'period, example: 2026-10, 2026-W44, 2026-Q4 or 2026-10-26')
      .option('--resend', 'also send to recipients who have this period', false);
  forPeriod(burst.command('preview <name>').description('Preview a run'))
    .addHelpText('after', '\nExample:\n  underbell burst preview quay-pack --period 2026-10')
    .action(async (name: string, { period, resend: again }: PeriodOptions, command: Command) => {
      show(
        command,
        await callApi<ShownPlan>('GET', `${burstPath(name)}/preview`, { query: { period, again } }),
        showPlan,
      );
    });
  forPeriod(burst.command('run <name>').description('Run a burst'))
    .option('--recipient <recipient>', 'only this recipient; repeatable', collect, [])
    .option('--test', 'send all copies to yourself', false)
    .option('--no-wait', 'do not wait for the run to complete')
    .action(run);
  burst
    .command('status [name]')
    .description('Show the deliveries of the last run')
    .option('--run <id>', 'run')
    .action(status);
  burst
    .command('sample <name> <recipient>')
    .description('Download the file of one recipient')
    .option('--period <period>', 'period, example: 2026-10, 2026-W44, 2026-Q4 or 2026-10-26')
    .option('--format <format>', 'csv, jsonl, xlsx, template, pdf or png; default: the first format')
    .option('--out <file>', 'file; default: its own name')
    .action(
      async (
        name: string,
        recipient: string,
        { out, ...query }: { period?: string; format?: string; out?: string },
        command: Command,
      ) => {
        const answer = await callService('GET', `${burstPath(name)}/sample`, { query: { recipient, ...query } });
        const own = /filename="([^"]+)"/.exec(answer.headers.get('content-disposition') ?? '')?.[1] ?? 'sample';
        if (out && extname(out) !== '' && extname(out) !== extname(own))
          throw localProblem('INPUT_INVALID', `The sample is a ${extname(own)} file, “${out}” is not.`, {
            hint: `Name the file ${extname(own)}, or select another --format.`,
          });
        const bytes = Buffer.from(await answer.arrayBuffer());
        await writeFile(out ?? own, bytes);
        show(command, { file: out ?? own, bytes: bytes.length }, (made) =>
          line(`${made.file}, ${megabytes(made.bytes)}`),
        );
      },
    );
  burst
    .command('next-runs <name>')
    .description('List the next runs')
    .option('--calendar <file>', 'write a calendar file (.ics)')
    .action(async (name: string, options: { calendar?: string }, command: Command) => {
      if (options.calendar !== undefined) {
        await writeFile(options.calendar, await (await callService('GET', `${burstPath(name)}/next-runs.ics`)).text());
        return show(command, { file: options.calendar }, ({ file }) => line(`Next runs written to “${file}”.`));
      }
      show(
        command,
        await callApi<BurstTimes>('GET', `${burstPath(name)}/next-runs`),
        ({ words, times, missed = [] }) => {
          line(`${name}: ${words}`);
          for (const one of times)
            line(
              `  ${one.words}${one.periodWords ? `, period ${one.periodWords}` : ''}${one.isRepeated ? ' (repeated: only recipients without a copy)' : ''}`,
            );
          if (missed.length > 0) line('Missed:');
          for (const one of missed)
            line(`  ${one.words}${one.period ? `, period ${one.period}` : ''}: ${missedWords[one.outcome]}`);
        },
      );
    });
  const runAction = (act: string, description: string, said: (run: DeliveryLog, id: string) => string) =>
    burst
      .command(`${act} <run>`)
      .description(description)
      .action(async (id: string, _options, command: Command) => {
        const answer = await callApi<DeliveryLog>('POST', `/api/v1/runs/${encodeURIComponent(id)}/${act}`);
        show(command, answer, () => line(said(answer, id)));
      });
  runAction('pause', 'Pause a run', (_run, id) => `Pausing run ${id}.`);
  runAction(
    'approve',
    'Approve a run',
    (_run, id) => `Run ${id} approved. Show its status: underbell burst status --run ${id}`,
  );
  runAction('resume', 'Resume a run', (_run, id) => `Run ${id} resumed.`);
  runAction(
    'retry',
    'Retry the failed deliveries of a run',
    (run, id) =>
      `Run ${run.id} retries the failed deliveries of run ${id}. Show its status: underbell burst status --run ${run.id}`,
  );
  runAction('cancel', 'Cancel a run; what was sent stays sent', (_run, id) => `Cancelling run ${id}.`);
  burst
    .command('revoke-links <run>')
    .description('Revoke the download links of a run')
    .option('--recipient <recipient>', 'only this recipient')
    .action(async (id: string, options: { recipient?: string }, command: Command) => {
      const body = options.recipient === undefined ? {} : { recipient: options.recipient };
      const path = `/api/v1/runs/${encodeURIComponent(id)}/revoke-links`;
      const answer = await callApi<{ recalled: number }>('POST', path, { body });
      show(command, answer, ({ recalled }) => line(`${plural(recalled, 'link')} revoked.`));
    });
  burst
    .command('download <run> <recipient> <file>')
    .description('Download a file of a run')
    .option('--out <file>', 'file; default: its own name')
    .action(async (id: string, recipient: string, file: string, options: { out?: string }, command: Command) => {
      const path = `/api/v1/runs/${encodeURIComponent(id)}/file`;
      const bytes = await fetchFile(path, { recipient, file }, options.out ?? file);
      show(command, { file: options.out ?? file, bytes }, (made) => line(`${made.file}, ${megabytes(made.bytes)}`));
    });
  burst
    .command('unsubscribed <name>')
    .description('List unsubscribed recipients')
    .action(async (name: string, _options, command: Command) => {
      show(
        command,
        await callApi<{ unsubscribed: Unsubscribed[] }>('GET', `${burstPath(name)}/unsubscribed`),
        ({ unsubscribed }) =>
          table(unsubscribed, [
            { heading: 'email', cell: (one) => one.address },
            { heading: 'since', cell: (one) => shortTime(one.at) },
          ]),
      );
    });
  burst
    .command('resubscribe <name> <email>')
    .description('Send to an unsubscribed recipient again')
    .action(async (name: string, address: string, _options, command: Command) => {
      await callApi('POST', `${burstPath(name)}/resubscribe`, { body: { address } });
      show(command, { address }, () => line(`“${address}” receives copies of “${name}” again.`));
    });
  program
    .command('my-deliveries')
    .description('List your deliveries')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ copies: OwnCopy[] }>('GET', '/api/v1/my/deliveries');
      show(command, answer, ({ copies }) => {
        table(
          copies.flatMap((copy) => copy.files.map((file) => ({ ...copy, ...file }))),
          [
            { heading: 'title', cell: (one) => one.title },
            { heading: 'period', cell: (one) => one.period },
            { heading: 'sent', cell: (one) => shortTime(one.sentAt) },
            { heading: 'file', cell: (one) => one.name },
            { heading: 'link', cell: (one) => one.link },
          ],
        );
        if (copies.length === 0) line('No deliveries.');
      });
    });
  burst
    .command('resolve <run> <recipient>')
    .description('Resolve an unconfirmed delivery')
    .option('--delivered', 'mark as delivered')
    .option('--not-delivered', 'mark as not delivered')
    .action(
      async (id: string, recipient: string, options: { delivered?: true; notDelivered?: true }, command: Command) => {
        if ((options.delivered === true) === (options.notDelivered === true))
          throw localProblem('INPUT_INVALID', 'Specify either --delivered or --not-delivered.');
        const body = { recipient, hasArrived: options.delivered === true };
        const answer = await callApi<DeliveryLog>('POST', `/api/v1/runs/${encodeURIComponent(id)}/resolve`, { body });
        show(command, answer, () =>
          line(`Delivery to “${recipient}” marked as ${body.hasArrived ? 'delivered' : 'not delivered'}.`),
        );
      },
    );
}
