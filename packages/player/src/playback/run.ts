import type { ScreenProgram } from '@underbell/core/screen';
import { clockErrorMs, keepClock, restoreClock, serviceNow } from '../device/clock.ts';
import { browserName } from '../device/pair.ts';
import { askTime, Refused } from '../device/service.ts';
import { keepOnlyFiles } from '../storage/media.ts';
import { store, wipe } from '../storage/store.ts';
import { Player } from './player.ts';
import { isOffline, ServiceSource } from './source.ts';

const beatMs = 60_000;
const programMs = 45 * 60_000;
const retryMs = 5_000;

/** Up to so long before it asks, so that thousands that were told at once do not ask at once. */
const spread = (ms: number) => Math.random() * ms;
const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** Plays until the service says that this screen is closed, or its lease has run out. @returns why it ended */
export async function run(root: HTMLElement): Promise<string> {
  await restoreClock();
  const source = new ServiceSource();
  const player = new Player(root, source, serviceNow);
  const stop = new AbortController();
  let end: (why: string) => void = () => undefined;
  const ended = new Promise<string>((resolve) => (end = resolve));
  let errors = 0;
  let lastError = '';

  const closedBy = (error: unknown): boolean => {
    if (!(error instanceof Refused) || error.code !== 'SCREEN_UNPAIRED') return false;
    end('This screen is unpaired.');
    return true;
  };

  async function load(): Promise<ScreenProgram | undefined> {
    try {
      const program = await source.program();
      if (player.program?.tag !== program.tag || isRunningOut(player.program)) player.play(program);
      void keep(program).catch(reportError);
      return program;
    } catch (error) {
      if (!closedBy(error) && !isOffline(error)) lastError = (error as Error).message;
      return undefined;
    }
  }

  let keepings = 0;

  /**
   * What the next day's slots show, so that a network that goes is not missed; one that fails takes no other with it. Nothing
   * waits for it: what hangs here keeps no screen from saying that it lives.
   */
  async function keep(program: ScreenProgram): Promise<void> {
    const mine = ++keepings;
    const all = new Map(program.stretches.flatMap((one) => one.slots.map(({ as }) => [as.id, as])));
    await source.keepOnly([...all.keys()]);
    await keepOnlyFiles([...all.values()].flatMap((one) => one.media ?? []));
    for (const { id, text, media } of all.values()) {
      // There is a newer program, or none any more.
      if (mine !== keepings) return;
      const kept = media ? source.keepFile(id, media) : text === undefined ? source.answer(id) : undefined;
      await kept?.catch(closedBy);
    }
  }

  const isRunningOut = (program: ScreenProgram) =>
    (program.stretches.at(-1)?.until ?? 0) - serviceNow() < 12 * 3_600_000;

  async function beat(): Promise<void> {
    const problems = player.problems.splice(0);
    errors += problems.length;
    lastError = problems.at(-1)?.detail ?? lastError;
    const { turn, program } = player;
    const revisions = Object.fromEntries(
      (program?.stretches ?? []).flatMap((one) => (one.playlist ? [[one.playlist, one.revision!]] : [])),
    );
    try {
      const answer = await source.beat({
        ...(turn && player.isShowing ? { slot: turn.slot.name } : {}),
        ...(turn?.stretch.playlist ? { playlist: turn.stretch.playlist, revision: turn.stretch.revision! } : {}),
        has: revisions,
        asOf: player.asOf === null ? null : Math.round(player.asOf),
        clockErrorMs: clockErrorMs(),
        storedBytes: Math.round(await store.bytes()),
        browser: browserName(),
        width: screen.width,
        height: screen.height,
        errors,
        ...(lastError ? { lastError: lastError.slice(0, 400) } : {}),
        problems,
      });
      if (answer.tag !== program?.tag) void wait(spread(10_000)).then(load);
      for (const order of answer.orders)
        if (order === 'reload') location.reload();
        else if (order === 'send picture') void sendPicture();
        else if (player.program) player.showName();
    } catch (error) {
      if (!closedBy(error)) player.problems.unshift(...problems);
    }
    await keepClock();
  }

  /** Whoever looks after it sees what is really on it; a wall that cannot draw itself goes on. */
  async function sendPicture(): Promise<void> {
    try {
      const { pictureOf } = await import('../rendering/screenshot.ts');
      await source.sendPicture(await pictureOf(root));
    } catch (error) {
      if (!closedBy(error) && !isOffline(error)) lastError = `no screenshot: ${(error as Error).message}`;
    }
  }

  async function listen(): Promise<void> {
    while (!stop.signal.aborted) {
      try {
        await source.listen((event) => {
          if (event === 'closed') end('This screen is unpaired.');
          else if (event === 'program') void wait(spread(player.program ? 300 : 0)).then(beat);
          else if (event === 'changed') void wait(spread(1_000)).then(() => player.refresh());
        }, stop.signal);
      } catch (error) {
        if (closedBy(error)) return;
      }
      await wait(retryMs + spread(retryMs));
    }
  }

  /** After so long without a word it forgets what it keeps. */
  async function checkLease(): Promise<void> {
    const kept = await source.kept();
    const heardAt = Math.max(source.heardAt, kept?.heardAt ?? 0);
    const leaseMs = kept?.program.leaseMs;
    if (leaseMs !== undefined && serviceNow() - heardAt > leaseMs) end('Offline too long. Stored content was deleted.');
  }

  const timers: ReturnType<typeof setInterval>[] = [];
  const every = (ms: number, work: () => Promise<unknown>) =>
    timers.push(setInterval(() => void work().catch(reportError), ms));

  await checkLease();
  const kept = await source.kept();
  if (kept) player.play(kept.program);
  await askTime().catch(() => undefined);
  await load();
  void listen();
  setTimeout(() => void beat(), spread(3_000));
  every(beatMs, beat);
  every(programMs, load);
  every(beatMs / 2, checkLease);
  // Started without a network and with nothing kept: tried until there is one.
  every(retryMs * 2, async () => {
    if (!player.program) await load();
  });
  const why = await ended;
  keepings++;
  stop.abort();
  timers.forEach((one) => clearInterval(one));
  player.stop();
  await wipe();
  return why;
}
