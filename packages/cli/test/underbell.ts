import assert from 'node:assert/strict';
import { execFile } from 'node:child_process';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { House } from '../../service/test/house.ts';
import { password } from '../../service/test/smallHouse.ts';

export const program = fileURLToPath(new URL('../bin/underbell.mjs', import.meta.url));

/** What the command line said, and how it ended. */
export interface Said {
  readonly code: number;
  readonly out: string;
  readonly errors: string;
}

/** Runs the command line as a process of its own. @param environment - added to that of the tests */
export function runUnderbell(
  args: readonly string[],
  environment: Readonly<Record<string, string>>,
  input = '',
): Promise<Said> {
  const env = { ...process.env, NO_COLOR: '1', ...environment };
  return new Promise((resolve) => {
    const child = execFile(process.execPath, [program, ...args], { env }, (error, out, errors) =>
      resolve({ code: error ? Number(error.code ?? 1) : 0, out, errors }),
    );
    child.stdin?.end(input);
  });
}

/** The command line of people of a small house, each with a key of their own. */
export function commandLineOf(house: () => House) {
  const underbell = (as: string, ...args: string[]) =>
    runUnderbell(args, {
      UNDERBELL_URL: house().url,
      UNDERBELL_CREDENTIALS: join(house().folder, `${as}.json`),
      UNDERBELL_PASSWORD: password,
    });
  return {
    underbell,
    /** What must work. */
    async fine(as: string, ...args: string[]): Promise<string> {
      const { code, out, errors } = await underbell(as, ...args);
      assert.equal(code, 0, errors);
      return out;
    },
  };
}
