import assert from 'node:assert/strict';
import { isRefusal, type Refusal, type RefusalCode } from '../src/refusal/index.ts';

/** Runs work that must be refused with a code, and gives the refusal back to look at. */
export function refused(code: RefusalCode, work: () => unknown): Refusal {
  try {
    work();
  } catch (error) {
    assert.ok(isRefusal(error), `not a refusal: ${String(error)}`);
    assert.equal(error.code, code, error.message);
    return error;
  }
  assert.fail(`nothing was refused; ${code} was expected`);
}
