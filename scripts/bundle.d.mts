export function isFresh(folder: string, sources: Readonly<Record<string, string>>): boolean;
/** @returns whether anything had to be built */
export function buildPrograms(
  folder: string,
  sources: Readonly<Record<string, string>>,
  options?: { readonly isShared?: boolean; readonly say?: () => void },
): Promise<boolean>;
export type ProgramName = 'cli' | 'service' | 'standins' | 'start' | 'test' | 'bench';
export const programs: Readonly<
  Record<ProgramName, { readonly folder: string; readonly sources: Readonly<Record<string, string>> }>
>;
/** @returns the path of its main file */
export function built(name: ProgramName, say?: () => void): Promise<string>;
export const runFlags: readonly string[];
