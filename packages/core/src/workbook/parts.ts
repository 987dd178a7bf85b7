import { strFromU8, unzipSync, type Unzipped } from 'fflate';
import { Refusal } from '../refusal/index.ts';
import { readElements, type Element } from './xmlPart.ts';

const maxParts = 2_000;
const maxBytes = 80_000_000;

export function unfit(message: string, details: { hint?: string; pointer?: string; word?: string } = {}): Refusal {
  return new Refusal('TEMPLATE_INVALID', message, details);
}

/**
 * Opens a workbook's parts.
 *
 * @throws {Refusal} `FILE_MALFORMED` for what is no archive; `INPUT_TOO_LARGE` for one that grows beyond bounds
 */
export function openParts(bytes: Uint8Array): Unzipped {
  let count = 0;
  let size = 0;
  try {
    return unzipSync(bytes, {
      filter: ({ name, originalSize }) => {
        count++;
        size += originalSize;
        if (count > maxParts || size > maxBytes)
          throw new Refusal('INPUT_TOO_LARGE', 'The unpacked workbook is too large.', {
            hint: 'Keep only a few sample rows in the template; the rows of each copy are filled in later.',
          });
        // Some programs pack folders as well: nothing is in them.
        return !name.endsWith('/');
      },
    });
  } catch (cause) {
    if (cause instanceof Refusal) throw cause;
    throw new Refusal('FILE_MALFORMED', 'The file is not a workbook.', { hint: 'Save it as .xlsx.' }, { cause });
  }
}

/** Parts that a template may hold: what each of them can hold of its author's rows is known. Anything else is refused. */
const known: readonly RegExp[] = [
  /^\[Content_Types\]\.xml$/,
  /^_rels\/\.rels$/,
  /^docProps\/(core|app|custom)\.xml$/,
  /^docProps\/thumbnail\.\w+$/,
  /^xl\/workbook\.xml$/,
  /^xl\/(styles|sharedStrings|calcChain|metadata)\.xml$/,
  /^xl\/theme\/[^/]+\.xml$/,
  /^xl\/(worksheets|chartsheets|drawings|charts|tables|pivotTables|pivotCache|comments|threadedComments|persons)\/[^/]+\.(xml|vml)$/,
  /^xl\/comments\d*\.xml$/,
  /^xl\/media\/[^/]+\.(png|jpe?g|gif|svg|emf|wmf|bmp|tiff?)$/i,
  /^xl\/printerSettings\/[^/]+\.bin$/,
  /^(xl\/)(\w+\/)?_rels\/[^/]+\.rels$/,
];

const reasons: readonly (readonly [RegExp, string, string])[] = [
  [/vbaProject|macro/i, 'macros', 'Save it without macros, as .xlsx.'],
  [/activeX|ctrlProps|embeddings|oleObject/i, 'embedded programs or files', 'Remove them.'],
  [/externalLinks/i, 'links to other workbooks, with copies of their cells', 'Replace them with values.'],
  [/slicer|timeline/i, 'filter buttons', 'Use a filter field of the pivot table instead.'],
  [
    /model|connections|queryTable/i,
    'a data model or connections with rows of their own',
    'Use a table on a sheet instead.',
  ],
  [/revisions/i, 'a change history', 'Stop sharing the workbook and save it again.'],
];

/** @throws {Refusal} `TEMPLATE_INVALID` for a part that could hold rows where nobody would find them */
export function checkParts(parts: Unzipped): void {
  for (const name of Object.keys(parts)) {
    if (known.some((one) => one.test(name))) continue;
    const reason = reasons.find(([pattern]) => pattern.test(name));
    const what = reason ? reason[1] : `an unknown part`;
    throw unfit(`The template contains ${what} (${name}), which cannot be sent safely.`, {
      pointer: name,
      hint: reason ? reason[2] : 'Copy the sheets into a new workbook.',
    });
  }
}

/** A part that is read and changed as text. */
export interface TextPart {
  readonly name: string;
  readonly text: string;
  readonly elements: readonly Element[];
}

/** @throws {Refusal} `FILE_MALFORMED` */
export function readPart(parts: Unzipped, name: string): TextPart {
  const bytes = parts[name];
  if (!bytes) throw new Refusal('FILE_MALFORMED', `The workbook has no part “${name}”.`);
  const text = strFromU8(bytes);
  try {
    return { name, text, elements: readElements(text) };
  } catch (cause) {
    throw new Refusal('FILE_MALFORMED', `Part “${name}” of the workbook cannot be read.`, { pointer: name }, { cause });
  }
}

/** A part's relations: which parts it needs, by the last word of their kind. */
export interface Relation {
  readonly id: string;
  readonly kind: string;
  /** The part's name; nothing for a place outside the workbook. */
  readonly target: string | undefined;
}

export function relationsName(part: string): string {
  const slash = part.lastIndexOf('/');
  return `${part.slice(0, slash + 1)}_rels/${part.slice(slash + 1)}.rels`;
}

function resolve(from: string, target: string): string {
  if (target.startsWith('/')) return target.slice(1);
  const path = from.split('/').slice(0, -1);
  for (const step of target.split('/')) {
    if (step === '..') path.pop();
    else if (step !== '.') path.push(step);
  }
  return path.join('/');
}

export function relationsOf(parts: Unzipped, part: string): Relation[] {
  const name = relationsName(part);
  if (!parts[name]) return [];
  return readPart(parts, name)
    .elements.filter((one) => one.name === 'Relationship')
    .map(({ attributes }) => ({
      id: attributes['Id'] ?? '',
      kind: (attributes['Type'] ?? '').split('/').at(-1)!,
      target: attributes['TargetMode'] === 'External' ? undefined : resolve(part, attributes['Target'] ?? ''),
    }));
}
