/** One benchmark's figure beside the floor that was measured in the same run. */
export interface BenchFigure {
  readonly benchmark: string;
  /** Milliseconds, median of the runs. */
  readonly ours: number;
  readonly against: string;
  readonly floor: number;
  /** What is aimed at: at most, or at least, so many times. */
  readonly goal: { readonly atMost: number } | { readonly atLeast: number };
}

/** Ours divided by a floor below, or a rival's time divided by ours. */
export function ratioOf(figure: BenchFigure): number {
  return 'atMost' in figure.goal ? figure.ours / figure.floor : figure.floor / figure.ours;
}

export function isReached(figure: BenchFigure): boolean {
  const ratio = ratioOf(figure);
  return 'atMost' in figure.goal ? ratio <= figure.goal.atMost : ratio >= figure.goal.atLeast;
}

export function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.floor(sorted.length / 2)]!;
}

/** Runs work several times. @returns the median, milliseconds */
export async function timeIt(runs: number, work: () => Promise<unknown>): Promise<number> {
  const times: number[] = [];
  for (let i = 0; i < runs; i++) {
    const start = performance.now();
    await work();
    times.push(performance.now() - start);
  }
  return median(times);
}

/**
 * Times two ways in turns: the noise of a machine that others share, which may be half as fast a minute later, falls on both.
 *
 * @param check - throws unless both ways came to the same; asked about each turn, outside the time
 * @returns the median of each, milliseconds
 */
export async function timeBoth<Ours, Floor>(
  runs: number,
  ours: () => Promise<Ours>,
  floor: () => Promise<Floor>,
  check: (ours: Ours, floor: Floor) => unknown,
): Promise<{ ours: number; floor: number }> {
  const times = { ours: [] as number[], floor: [] as number[] };
  let made: Ours;
  let wanted: Floor;
  for (let i = 0; i < runs; i++) {
    times.floor.push(await timeIt(1, async () => (wanted = await floor())));
    times.ours.push(await timeIt(1, async () => (made = await ours())));
    await check(made!, wanted!);
  }
  return { ours: median(times.ours), floor: median(times.floor) };
}

const seconds = (ms: number) => (ms < 1_000 ? `${ms.toFixed(1)} ms` : `${(ms / 1000).toFixed(2)} s`);

/** A table for people. */
export function printTable(figures: readonly BenchFigure[]): void {
  const rows = figures.map((one) => {
    const [sign, goal] = 'atMost' in one.goal ? ['≤', one.goal.atMost] : ['≥', one.goal.atLeast];
    return [
      one.benchmark,
      seconds(one.ours),
      one.against,
      seconds(one.floor),
      `${ratioOf(one).toFixed(2)}×`,
      `${sign} ${goal}×`,
      isReached(one) ? 'reached' : 'missed',
    ];
  });
  const all = [['benchmark', 'ours', 'against', 'its time', 'ratio', 'goal', ''], ...rows];
  const widths = all[0]!.map((_, i) => Math.max(...all.map((row) => row[i]!.length)));
  for (const row of all)
    process.stdout.write(
      `${row
        .map((cell, i) => cell.padEnd(widths[i]!))
        .join('  ')
        .trimEnd()}\n`,
    );
}
