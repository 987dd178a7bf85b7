import { peopleKinds, pluralOf, thingKinds, type NamedKind, type PeopleKind } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import type { App } from '../app.ts';
import { nameNow } from '../names.ts';
import type { Named } from '../resources.ts';

const kinds: readonly NamedKind[] = [...thingKinds, ...(Object.keys(peopleKinds) as PeopleKind[])];

/** The part of a path that names something: `/api/v1/reports/:name/view`. */
interface NamedPart {
  readonly kind: NamedKind;
  readonly parameter: string;
}

export function namedPartOf(path: string): NamedPart | undefined {
  const [, plural, parameter] = /^\/api\/v1\/([a-z-]+)\/:(\w+)/.exec(path) ?? [];
  const kind = kinds.find((one) => pluralOf(one) === plural);
  return kind && parameter !== undefined ? { kind, parameter } : undefined;
}

/**
 * Leads whoever looks at a thing by a name that it had to the thing as it is called now. What would change something says the
 * name of today, so that nobody changes another thing than they mean. To whom the thing is not shown, its former name is one
 * that never was: nothing in the answer tells them apart.
 *
 * @param params - the parameters of the path, in which the name is put
 * @throws {Refusal} `NAME_TAKEN` for a change under a former name
 */
export async function leadOn<T>(
  app: App,
  part: NamedPart | undefined,
  params: Record<string, unknown>,
  {
    isChange,
    isShown,
    work,
  }: {
    readonly isChange: boolean;
    /** Whether the asker may know of a thing. */
    readonly isShown: (named: Named) => Promise<boolean>;
    readonly work: () => Promise<T>;
  },
): Promise<T> {
  const given = part && params[part.parameter];
  if (!part || typeof given !== 'string') return work();
  const { kind, parameter } = part;
  const now = await nameNow(app, { kind, name: given });
  if (now === undefined || !(await isShown({ kind, name: now }))) return work();
  if (isChange)
    throw new Refusal('NAME_TAKEN', `“${given}” is a redirect to another ${kind}. Nothing was changed.`, {
      word: given,
      hint: 'Use the current name, or delete the redirect.',
    });
  params[parameter] = now;
  return work();
}
