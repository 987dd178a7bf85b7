/** A definition that is being written: a file that was dropped, pasted text, or what is published now. */
export interface DraftFile {
  readonly key: string;
  /** Of the file; what it is called where it came from no file. */
  readonly label: string;
  readonly text: string;
  /** The newest edition when its text was fetched. */
  readonly changed?: number;
}

const prefix = 'underbell draft ';

/** What was left unfinished under a key. */
export const keptDraft = (key: string): string | null => {
  try {
    return window.localStorage.getItem(prefix + key);
  } catch {
    // A browser may keep nothing: then nothing is kept.
    return null;
  }
};

export function keepDraft(key: string, text: string | undefined): void {
  try {
    if (text === undefined) window.localStorage.removeItem(prefix + key);
    else window.localStorage.setItem(prefix + key, text);
  } catch {
    // As above; the text stands in the editor all the same.
  }
}

/** Definitions among dropped files, those of folders too, in the order of their names. */
export async function readDropped(items: DataTransferItemList): Promise<DraftFile[]> {
  const entries = [...items].flatMap((item) => item.webkitGetAsEntry() ?? []);
  const files = (await Promise.all(entries.map(filesIn))).flat();
  return readFiles(files);
}

async function filesIn(entry: FileSystemEntry): Promise<File[]> {
  if (entry.isFile)
    return new Promise((resolve, reject) => (entry as FileSystemFileEntry).file((file) => resolve([file]), reject));
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const found: File[] = [];
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (some.length === 0) return found;
    found.push(...(await Promise.all(some.map(filesIn))).flat());
  }
}

export async function readFiles(files: readonly File[]): Promise<DraftFile[]> {
  const wanted = files.filter((one) => /\.json$/i.test(one.name)).sort((a, b) => a.name.localeCompare(b.name));
  return Promise.all(
    wanted.map(async (file, i) => ({ key: `file ${i} ${file.name}`, label: file.name, text: await file.text() })),
  );
}

const first = [
  '$schema',
  'format',
  'kind',
  'name',
  'title',
  'label',
  'type',
  'description',
  'datasets',
  'parameters',
  'measures',
];
const last = ['pages', 'figures', 'at', 'print', 'narrow'];
const rank = (key: string) => {
  const early = first.indexOf(key);
  return early >= 0 ? early - first.length : last.indexOf(key) + 1;
};

/** A definition as a person would write it: what names a thing comes first, where it stands last. */
function inOrder(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(inOrder);
  if (typeof value !== 'object' || value === null) return value;
  const entries = Object.entries(value).sort(([a], [b]) => rank(a) - rank(b));
  return Object.fromEntries(entries.map(([key, one]) => [key, inOrder(one)]));
}

/** The text of a definition. */
export const textOf = (definition: object): string => `${JSON.stringify(inOrder(definition), undefined, 2)}\n`;

/** What a text is a definition of, as far as it says. */
export function kindOf(text: string): 'report' | 'board' | undefined {
  const [, kind] = /"format"\s*:\s*"underbell-(report|board)\/1"/.exec(text) ?? [];
  return kind as 'report' | 'board' | undefined;
}
