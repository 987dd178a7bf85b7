import { Refusal, suggest } from '../refusal/index.ts';

const placeholder = /\{([^{}]*)\}/g;

/** The names that a template asks for, each once. */
export function templateNames(template: string): string[] {
  return [...new Set([...template.matchAll(placeholder)].map((match) => match[1]!.trim()))];
}

/** @throws {Refusal} `BURST_INVALID`: a name that nothing fills, with the nearest that something does */
export function checkTemplate(template: string, known: readonly string[], pointer: string): void {
  for (const name of templateNames(template)) {
    if (known.includes(name)) continue;
    throw new Refusal('BURST_INVALID', `${pointer}: unknown placeholder “{${name}}”.`, {
      pointer,
      word: name,
      ...suggest(name, known),
    });
  }
}

/** Fills a checked template. */
export function fillTemplate(template: string, values: Readonly<Record<string, string>>): string {
  return template.replace(placeholder, (_, name: string) => values[name.trim()] ?? '');
}

const reserved = /^(con|prn|aux|nul|com\d|lpt\d)$/i;

/** A file name that every system keeps as it is: no separators, control characters or reserved names, at most 120 characters. */
export function safeFileName(text: string): string {
  const clean = [...text.normalize('NFC')]

    .map((char) => (/[\u0000-\u001f\u007f<>:"/\\|?*]/.test(char) ? '-' : char))
    .slice(0, 120)
    .join('')
    .replace(/^[\s.]+|[\s.]+$/g, '');
  return clean === '' || reserved.test(clean) ? `copy-${clean}` : clean;
}

/** The segments of a folder below a destination: filled one by one, so that no value can lead out of it or deeper. */
export function folderPath(template: string | undefined, values: Readonly<Record<string, string>>): string[] {
  return (template ?? '')
    .split('/')
    .map((segment) => segment.trim())
    .filter((segment) => segment !== '')
    .map((segment) => safeFileName(fillTemplate(segment, values)));
}
