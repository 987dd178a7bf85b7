let last: Promise<unknown> = Promise.resolve();

/**
 * Does work on an image, one after the other in a process: the library works in the threads that files and passwords need
 * as well, and takes one of them at a time this way.
 */
export function drawInTurn<T>(work: () => Promise<T>): Promise<T> {
  const mine = last.then(work);
  last = mine.catch(() => undefined);
  return mine;
}
