import { shallowRef } from 'vue';
import type { ProblemDocument } from '@underbell/core/refusal';
import { ApiProblem } from './api.ts';

/** Runs what a button starts: says what is going on, and keeps the refusal to be shown. */
export function useAttempt<What extends string = 'work'>() {
  const busy = shallowRef<What | ''>('');
  const problem = shallowRef<ProblemDocument>();

  async function attempt(what: What, work: () => Promise<void>): Promise<void> {
    busy.value = what;
    problem.value = undefined;
    try {
      await work();
    } catch (error) {
      if (!(error instanceof ApiProblem)) throw error;
      problem.value = error.document;
    } finally {
      busy.value = '';
    }
  }

  return { busy, problem, attempt };
}
