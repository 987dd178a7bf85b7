import type { RefusalCode } from './codes.ts';
import { isRefusal, Refusal, type Problem } from './refusal.ts';

/** What a check refuses, with the place that it is about where it does not say one itself. */
export async function placed<T>(pointer: string, check: () => Promise<T>): Promise<T> {
  try {
    return await check();
  } catch (error) {
    if (!isRefusal(error) || error.details.pointer !== undefined) throw error;
    throw new Refusal(error.code, error.message, { ...error.details, pointer }, { cause: error });
  }
}

/** A refusal as one problem among several. */
function problemsOf({ message, details }: Refusal): Problem[] {
  if (details.problems && details.problems.length > 0) return [...details.problems];
  const { pointer, hint, nearest } = details;
  return [{ at: pointer ?? '', message, ...(hint ? { hint } : {}), ...(nearest ? { nearest } : {}) }];
}

interface Summary {
  readonly code: RefusalCode;
  /** What the message of several begins with. */
  readonly what: string;
}

function remembered(refusals: Refusal[], error: unknown): void {
  if (!isRefusal(error)) throw error;
  // The same thing said by two checks is one mistake.
  if (!refusals.some((one) => one.message === error.message)) refusals.push(error);
}

function conclude({ code, what }: Summary, refusals: readonly Refusal[]): void {
  const [first, second] = refusals;
  if (first === undefined) return;
  if (second === undefined) throw first;
  const message = first.message.startsWith(what) ? first.message : `${what}: ${first.message}`;
  throw new Refusal(code, message, { ...first.details, problems: refusals.flatMap(problemsOf) });
}

/**
 * Makes all checks and tells everything that they refuse at once, rather than one mistake at a time.
 *
 * @throws {Refusal} the only one as it is; several as one with `problems`
 */
export function checkAll(as: Summary, checks: readonly (() => void)[]): void {
  const refusals: Refusal[] = [];
  for (const check of checks)
    try {
      check();
    } catch (error) {
      remembered(refusals, error);
    }
  conclude(as, refusals);
}

/** The same, one after the other, for checks that ask something. */
export async function checkAllInTurn(as: Summary, checks: readonly (() => unknown)[]): Promise<void> {
  const refusals: Refusal[] = [];
  for (const check of checks)
    try {
      await check();
    } catch (error) {
      remembered(refusals, error);
    }
  conclude(as, refusals);
}
