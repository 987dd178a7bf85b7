import { Refusal, suggest } from '../refusal/index.ts';
import type { ScreenValues } from './attributes.ts';

const placeholder = /\{([a-z][a-z0-9_]*)\}/g;

/** Names of what stands in words, each once. */
export const placeholdersIn = (text: string): string[] => [
  ...new Set([...text.matchAll(placeholder)].map(([, name]) => name!)),
];

/**
 * Words of a slot with what the screen says of itself in them: `Welcome to quay {quay}`.
 *
 * @throws {Refusal} `VALUE_UNBOUND` for an attribute that the screen lacks
 */
export function fillWords(text: string, values: ScreenValues): string {
  return text.replace(placeholder, (_, name: string) => {
    if (Object.hasOwn(values, name)) return values[name]!;
    throw new Refusal('VALUE_UNBOUND', `The screen has no attribute “${name}”.`, {
      word: name,
      ...suggest(name, Object.keys(values)),
    });
  });
}
