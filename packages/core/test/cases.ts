/**
 * How many cases a property tries and from which seed: modest and fixed, or as `npm test -- --cases N --seed N` says.
 */
export function casesOf(numRuns: number, seed: number): { numRuns: number; seed: number } {
  return {
    numRuns: Number(process.env['UNDERBELL_TEST_CASES'] ?? numRuns),
    seed: Number(process.env['UNDERBELL_TEST_SEED'] ?? seed),
  };
}
