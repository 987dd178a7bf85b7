import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { localProblem } from './problem.ts';

/** Reads a file of text, or standard input for `-`. @throws {Problem} `NOT_FOUND` */
export function readTextFile(path: string): string {
  if (path === '-') return readFileSync(0, 'utf8');
  if (!existsSync(path)) throw localProblem('NOT_FOUND', `There is no file “${path}”.`, { word: path });
  return readFileSync(path, 'utf8');
}

/** Reads a definition file. @throws {Problem} `NOT_FOUND`, `INPUT_INVALID` with line and column */
export function readJsonFile(path: string): object {
  const text = readTextFile(path);
  try {
    return JSON.parse(text) as object;
  } catch (cause) {
    const offset = Number(/position (\d+)/.exec((cause as Error).message)?.[1] ?? text.length);
    const before = text.slice(0, offset).split('\n');
    const position = { line: before.length, column: before.at(-1)!.length + 1, offset };
    throw localProblem(
      'INPUT_INVALID',
      `“${path}” is not valid JSON: ${(cause as Error).message}.`,
      { position },
      { cause },
    );
  }
}

/** `name=value` options as a record. @throws {Problem} `INPUT_INVALID` */
export function readPairs(pairs: readonly string[], option: string): Record<string, string> {
  return Object.fromEntries(
    pairs.map((pair) => {
      const at = pair.indexOf('=');
      if (at < 1) throw localProblem('INPUT_INVALID', `“${pair}” is not name=value.`, { pointer: option, word: pair });
      return [pair.slice(0, at), pair.slice(at + 1)];
    }),
  );
}

/** For options that may be given several times. */
export function collect(value: string, before: string[]): string[] {
  return [...before, value];
}

/** Writes a file that is not there yet. @throws {Problem} `NAME_TAKEN` */
export function writeNewFile(path: string, text: string): void {
  try {
    writeFileSync(path, text, { flag: 'wx' });
  } catch (cause) {
    if ((cause as { code?: string }).code !== 'EEXIST') throw cause;
    throw localProblem('NAME_TAKEN', `The file “${path}” already exists.`, { word: path, hint: 'Use another name.' });
  }
}
