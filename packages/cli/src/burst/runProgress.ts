import { SingleBar } from 'cli-progress';
import type { DeliveryLog, ShownRun } from '@underbell/core/burst/apiTypes';
import { harmless, line, shortTime } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

const pollMs = 500;
const settled = (run: ShownRun) => run.counts.sent + run.counts.failed + run.counts.inDoubt;

/** That no worker lives which could go on with a run, and since when. */
export function noWorkerWords({ noWorkerSince }: Pick<ShownRun, 'noWorkerSince'>): string {
  const since = noWorkerSince ? `; last seen ${shortTime(noWorkerSince)}` : '';
  return `no worker is running${since}`;
}

/** Shows how far a run is: a bar on a terminal, a line per step elsewhere. */
class Progress {
  readonly #bar: SingleBar | undefined;
  #lastPhase = '';

  constructor(isQuiet: boolean) {
    if (!isQuiet && process.stderr.isTTY) {
      this.#bar = new SingleBar({
        format: '{bar} {value} of {total} sent · {phase}',
        barsize: 28,
        stream: process.stderr,
        hideCursor: true,
        clearOnComplete: true,
      });
    }
    this.#isQuiet = isQuiet;
  }

  readonly #isQuiet: boolean;

  start(total: number): void {
    this.#bar?.start(Math.max(total, 1), 0, { phase: 'waiting' });
  }

  update(run: ShownRun): void {
    const phase = harmless(run.noWorkerSince === undefined ? run.phase : noWorkerWords(run));
    this.#bar?.update(settled(run), { phase });
    const step = phase.replace(/\d+ of \d+/, '').trim();
    if (!this.#bar && !this.#isQuiet && step !== '' && step !== this.#lastPhase) process.stderr.write(`${step}\n`);
    this.#lastPhase = step;
  }

  stop(): void {
    this.#bar?.stop();
  }
}

/** Waits until a run has finished. Ctrl-C leaves the run going and says how to stop it. */
export async function followRun(id: number, isQuiet: boolean): Promise<DeliveryLog> {
  const progress = new Progress(isQuiet);
  const leave = () => {
    progress.stop();
    process.stderr.write(
      `\nRun ${id} continues. Show its status: underbell burst status --run ${id}. Cancel it: underbell burst cancel ${id}\n`,
    );
    process.exit(1);
  };
  process.once('SIGINT', leave);
  // Its ledger may hold ten thousand lines: it is fetched once, when the run has ended.
  const look = () => callApi<ShownRun>('GET', `/api/v1/runs/${id}/progress`);
  let run = await look();
  progress.start(run.counts.planned);
  while (run.state === 'waiting' || run.state === 'running') {
    progress.update(run);
    await new Promise((resolve) => setTimeout(resolve, pollMs));
    run = await look();
  }
  progress.stop();
  process.off('SIGINT', leave);
  return callApi<DeliveryLog>('GET', `/api/v1/runs/${id}`);
}

/** 0 when all that was planned left, 5 when a part did, 1 when nothing did or the run was stopped. */
export function exitCodeOf(run: DeliveryLog): number {
  if (run.state === 'done') return 0;
  return run.state === 'partly' ? 5 : 1;
}

export function summaryLine(run: DeliveryLog): void {
  const { counts } = run;
  const parts = [`${counts.sent} sent`, `${counts.skipped} skipped`, `${counts.failed} failed`];
  if (counts.inDoubt > 0) parts.push(`${counts.inDoubt} unconfirmed`);
  const took =
    run.startedAt && run.finishedAt
      ? ` in ${((Date.parse(run.finishedAt) - Date.parse(run.startedAt)) / 1000).toFixed(1)} s`
      : '';
  line(
    `${run.isTest ? 'Test run' : 'Run'} ${run.id} of ${run.burst} for ${run.period}: ${run.state}${took}. ${parts.join(', ')}.${run.error ? ` ${run.error}` : ''}`,
  );
  if (run.noWorkerSince !== undefined) line(`The run waits: ${noWorkerWords(run)}.`);
}
