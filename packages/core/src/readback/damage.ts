import { isRefusal, Refusal } from '../refusal/index.ts';

/** What is wrong with a file that was just made. @param message - a finished sentence */
export const damage = (message: string, options?: ErrorOptions): Refusal =>
  new Refusal(
    'FILE_DAMAGED',
    message,
    { hint: 'Make the file again. If it fails again, tell an administrator.' },
    options,
  );

/**
 * Makes a file and reads it back. A file that is damaged is made once more, because a fault of memory or disk passes; a
 * fault of the program does not, and is told with its reason.
 *
 * @param check - throws `FILE_DAMAGED`
 * @throws {Refusal} `FILE_DAMAGED`, after the second time; whatever `make` throws
 */
export async function makeChecked<T>(make: () => T | Promise<T>, check: (made: T) => void | Promise<void>): Promise<T> {
  for (let isLast = false; ; isLast = true) {
    const made = await make();
    try {
      await check(made);
      return made;
    } catch (error) {
      if (isLast || !isRefusal(error) || error.code !== 'FILE_DAMAGED') throw error;
    }
  }
}
