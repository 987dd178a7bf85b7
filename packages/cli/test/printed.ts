import { mock } from 'node:test';

/** What is printed while something is done. */
export function printed(work: () => void): string {
  let text = '';
  const write = mock.method(process.stdout, 'write', (chunk: string | Uint8Array) => {
    text += String(chunk);
    return true;
  });
  try {
    work();
  } finally {
    write.mock.restore();
  }
  return text;
}
