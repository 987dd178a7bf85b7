/**
 * How many cases a property tries and from which seed: modest and fixed, or as `npm test -- --cases N --seed N` says.
 */
export function casesOf(numRuns: number, seed: number): { numRuns: number; seed: number } {
  return {
    numRuns: Number(process.env['UNDERBELL_TEST_CASES'] ?? numRuns),
    seed: Number(process.env['UNDERBELL_TEST_SEED'] ?? seed),
  };
}

/** Random numbers from 0 to 1 that a seed repeats (mulberry32). */
export function randomFrom(start: number): () => number {
  let state = start;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
  };
}
