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
  readonly again: boolean;
}

const burstPath = (name: string) => `/api/v1/bursts/${encodeURIComponent(name)}`;

const reasonOf = ({ reason, nextTryAt }: LedgerEntry) =>
  nextTryAt ? `${reason}; tried again at ${shortTime(nextTryAt)}` : reason;

const linkWords = ({ fetched, isRecalled }: NonNullable<LedgerEntry['link']>) =>
  isRecalled ? 'recalled' : fetched === 0 ? 'not fetched' : `fetched ${fetched} times`;

function showLedger(entries: readonly LedgerEntry[]): void {
  table(entries, [
    { heading: 'recipient', cell: (one) => one.recipient },
    { heading: 'address', cell: (one) => one.address },
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
    { heading: 'reason', cell: (one) => (one.bounce ? `came back: ${one.bounce}` : reasonOf(one)) },
  ]);
}

async function run(
  name: string,
  options: PeriodOptions & { wait: boolean; only: string[]; test: boolean },
  command: Command,
): Promise<void> {
  const { period, again, wait, only, test } = options;
  const started = await callApi<DeliveryLog>('POST', `${burstPath(name)}/runs`, {
    body: { period, again, isTest: test, ...(only.length > 0 ? { only } : {}) },
  });
  if (started.state === 'held')
    return show(command, started, () =>
      line(
        `Run ${started.id} waits for a second person, one of ${(started.release ?? []).join(', ')}: underbell burst release ${started.id}`,
      ),
    );
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
    const { runs } = await callApi<{ runs: DeliveryLog[] }>('GET', '/api/v1/runs', { query: { burst: name } });
    if (!runs[0]) return show(command, { burst: name, runs: [] }, () => line(`${name} has not been run yet.`));
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
  const burst = program.command('burst').description('filtered copies for every recipient of a list');
  burst
    .command('list')
    .description('the bursts that you may see')
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
    .command('define <file>')
    .description('save a burst definition (format underbell-burst/1)')
    .action(async (file: string, _options, command: Command) => {
      const answer = await callApi<{ name: string }>('PUT', '/api/v1/bursts', { body: readJsonFile(file) });
      show(command, answer, ({ name }) =>
        line(`The burst ${name} is saved. See what it would do: underbell burst plan ${name}`),
      );
    });
  burst
    .command('check <file>')
    .description('check a burst definition; nothing is saved')
    .action(async (file: string, _options, command: Command) => {
      const answer = await callApi<CheckedBurst>('POST', '/api/v1/bursts/check', { body: readJsonFile(file) });
      show(command, answer, ({ name, isNew, words, strategy }) => {
        line(`${name} is fine${isNew ? ' and new' : ''}. It runs ${words}.`);
        line(faint(strategy.because));
      });
    });
  burst
    .command('show <name>')
    .description('the definition of a burst, as define takes it')
    .action(async (name: string, _options, command: Command) => {
      const answer = await callApi<{ definition: object }>('GET', `/api/v1/bursts/${encodeURIComponent(name)}`);
      show(command, answer, ({ definition }) => line(JSON.stringify(definition, null, 2)));
    });
  for (const isPaused of [true, false])
    burst
      .command(`${isPaused ? 'pause' : 'resume'}-schedule <name>`)
      .description(isPaused ? 'let a burst not run by itself for now' : 'let it run by itself again')
      .action(async (name: string, _options, command: Command) => {
        const path = `/api/v1/bursts/${encodeURIComponent(name)}/schedule`;
        const answer = await callApi<{ words: string }>('PUT', path, { body: { isPaused } });
        show(command, answer, ({ words }) => line(`${name}: ${words}.`));
      });
  const forPeriod = (made: Command) =>
    made
      .option('--period <period>', 'as ISO 8601 writes it: 2026-10, 2026-W44, 2026-Q4, 2026-10-26')
      .option('--again', 'also to those who have this period already', false);
  forPeriod(
    burst
      .command('plan <name>')
      .description('who would get what, how many rows, who is skipped and why; sends nothing'),
  )
    .addHelpText('after', '\nExample:\n  underbell burst plan quay-pack --period 2026-10')
    .action(async (name: string, options: PeriodOptions, command: Command) => {
      show(command, await callApi<ShownPlan>('GET', `${burstPath(name)}/plan`, { query: { ...options } }), showPlan);
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
    .option('--period <period>', 'as ISO 8601 writes it: 2026-10, 2026-W44, 2026-Q4, 2026-10-26')
    .option('--format <format>', 'csv, jsonl, xlsx, template, pdf or png; the first of the burst when left out')
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
        if (out && extname(out) !== '' && extname(out) !== extname(own))
          throw localProblem('INPUT_INVALID', `the sample is a ${extname(own)} file, and \`${out}\` says another`, {
            hint: `name it ${extname(own)}, or choose with --format`,
          });
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
      show(command, await callApi<BurstTimes>('GET', `${burstPath(name)}/times`), ({ words, times, missed = [] }) => {
        line(`${name}: ${words}`);
        for (const one of times)
          line(
            `  ${one.words}${one.periodWords ? `, about ${one.periodWords}` : ''}${one.isRepeated ? ' again: only for those who have none yet' : ''}`,
          );
        if (missed.length > 0) line('Missed:');
        for (const one of missed)
          line(`  ${one.words}${one.period ? `, about ${one.period}` : ''}: ${missedWords[one.outcome]}`);
      });
    });
  const runAction = (act: string, description: string, said: (run: DeliveryLog, id: string) => string) =>
    burst
      .command(`${act} <run>`)
      .description(description)
      .action(async (id: string, _options, command: Command) => {
        const answer = await callApi<DeliveryLog>('POST', `/api/v1/runs/${encodeURIComponent(id)}/${act}`);
        show(command, answer, () => line(said(answer, id)));
      });
  runAction('pause', 'pause a run; what is on its way arrives', (_run, id) => `Run ${id} is being paused.`);
  runAction(
    'release',
    'let a run go that somebody else started and that waits for a second person',
    (_run, id) => `Run ${id} is released: underbell burst status --run ${id}`,
  );
  runAction('continue', 'let a paused run go on', (_run, id) => `Run ${id} goes on.`);
  runAction(
    'retry',
    'run once more for those whose copy failed',
    (run, id) => `Run ${run.id} tries again what failed in run ${id}: underbell burst status --run ${run.id}`,
  );
  runAction('stop', 'stop a run; what has left stays sent', (_run, id) => `Run ${id} is being stopped.`);
  burst
    .command('recall <run>')
    .description('take the links of a run back; who holds one reads that it was recalled')
    .option('--only <recipient>', 'of this recipient alone')
    .action(async (id: string, options: { only?: string }, command: Command) => {
      const body = options.only === undefined ? {} : { recipient: options.only };
      const path = `/api/v1/runs/${encodeURIComponent(id)}/recall`;
      const answer = await callApi<{ recalled: number }>('POST', path, { body });
      show(command, answer, ({ recalled }) => line(`${plural(recalled, 'link')} recalled.`));
    });
  burst
    .command('file <run> <recipient> <file>')
    .description('write a kept file of a run, as it was sent')
    .option('--out <file>', 'where to; its own name when left out')
    .action(async (id: string, recipient: string, file: string, options: { out?: string }, command: Command) => {
      const path = `/api/v1/runs/${encodeURIComponent(id)}/file`;
      const bytes = await fetchFile(path, { recipient, file }, options.out ?? file);
      show(command, { file: options.out ?? file, bytes }, (made) => line(`${made.file}, ${megabytes(made.bytes)}`));
    });
  burst
    .command('unsubscribed <name>')
    .description('who wants no more copies')
    .option('--again <address>', 'send to this one again, who asked for it')
    .action(async (name: string, options: { again?: string }, command: Command) => {
      if (options.again !== undefined) {
        const address = options.again;
        await callApi('POST', `${burstPath(name)}/subscribe`, { body: { address } });
        return show(command, { address }, () => line(`${address} gets copies of ${name} again.`));
      }
      show(
        command,
        await callApi<{ unsubscribed: Unsubscribed[] }>('GET', `${burstPath(name)}/unsubscribed`),
        ({ unsubscribed }) =>
          table(unsubscribed, [
            { heading: 'address', cell: (one) => one.address },
            { heading: 'since', cell: (one) => shortTime(one.at) },
          ]),
      );
    });
  program
    .command('copies')
    .description('what was sent to you last, with the links that still hold')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ copies: OwnCopy[] }>('GET', '/api/v1/copies/own');
      show(command, answer, ({ copies }) => {
        table(
          copies.flatMap((copy) => copy.files.map((file) => ({ ...copy, ...file }))),
          [
            { heading: 'what', cell: (one) => one.title },
            { heading: 'period', cell: (one) => one.period },
            { heading: 'sent', cell: (one) => shortTime(one.sentAt) },
            { heading: 'file', cell: (one) => one.name },
            { heading: 'link', cell: (one) => one.link },
          ],
        );
        if (copies.length === 0) line('Nothing was sent to you yet.');
      });
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
      const answer = await callApi<DeliveryLog>('POST', `/api/v1/runs/${encodeURIComponent(id)}/settle`, { body });
      show(command, answer, () => line(`The copy for ${recipient} counts as ${body.hasArrived ? 'sent' : 'failed'}.`));
    });
}
