import { filter as predicateOf, parse, type Filter } from 'scim2-parse-filter';
import SCIMMY from 'scimmy';

// Large directories write the standard's requests in forms of their own. Here they become those that the standard has.

/** Attributes of people beyond what the standard has, as names with values. */
export const attributesSchema = 'urn:ietf:params:scim:schemas:extension:underbell:2.0:Attributes';
const coreSchemas = /^urn:ietf:params:scim:schemas:core:2\.0:(User|Group):/i;

export const scimError = (status: number, type: string | null, words: string) =>
  new SCIMMY.Types.Error(status, type as never, words);

type Json = Record<string, unknown>;
const isObject = (value: unknown): value is Json =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** `"False"` for `false`. */
function booleanOf(value: unknown): unknown {
  if (typeof value !== 'string') return value;
  const word = value.trim().toLowerCase();
  if (word === 'true' || word === 'false') return word === 'true';
  throw scimError(400, 'invalidValue', `active is true or false, not "${value}"`);
}

/** What a user or group has here, by its first word in small letters; anything else is nobody's to keep. */
const kept: Readonly<Record<string, string>> = {
  username: 'userName',
  displayname: 'displayName',
  name: 'name',
  emails: 'emails',
  active: 'active',
  externalid: 'externalId',
  members: 'members',
};

/** A user or group as the standard writes it, with what is kept of it. */
export function resourceOf(body: unknown): Json {
  if (!isObject(body)) throw scimError(400, 'invalidSyntax', 'the body is no JSON object');
  const found: Json = {};
  for (const [key, value] of Object.entries(body)) {
    if (key.toLowerCase() === attributesSchema.toLowerCase()) found[attributesSchema] = value;
    else if (key === 'schemas') found[key] = value;
    else if (kept[key.toLowerCase()] !== undefined) found[kept[key.toLowerCase()]!] = value;
  }
  if ('active' in found) found['active'] = booleanOf(found['active']);
  return found;
}

/** One change of a resource. */
interface Operation {
  readonly op: 'add' | 'replace' | 'remove';
  readonly path?: string;
  readonly value?: unknown;
}

/** A path without the schema that it may begin with, and the first word of it; nothing of what is not kept. */
function pathOf(text: string): { path: string; first: string } | undefined {
  if (text.toLowerCase().startsWith(attributesSchema.toLowerCase())) return { path: text, first: attributesSchema };
  const path = text.replace(coreSchemas, '');
  if (path.toLowerCase().startsWith('urn:')) return undefined;
  const word = /^[A-Za-z$_-]+/.exec(path)?.[0] ?? '';
  const first = kept[word.toLowerCase()];
  return first === undefined ? undefined : { path: first + path.slice(word.length), first };
}

/** One mail address is all that is kept: whichever of a user's is meant, it is that. */
function emailOperation(op: Operation['op'], value: unknown): Operation[] {
  const listed = [value].flat() as unknown[];
  const address = listed.find((one) => isObject(one) && one['primary'] === true) ?? listed[0];
  const text = isObject(address) ? address['value'] : address;
  if (op === 'remove' || typeof text !== 'string') return [];
  return [{ op: 'replace', path: 'emails', value: [{ value: text, type: 'work', primary: true }] }];
}

function memberIds(value: unknown): string[] {
  return [value].flat().flatMap((one) => {
    if (typeof one === 'string') return [one];
    return isObject(one) && typeof one['value'] === 'string' ? [one['value']] : [];
  });
}

/** @param members - those that a group has now: only these can be removed */
function operationsAt(text: string, op: Operation['op'], value: unknown, members: readonly string[]): Operation[] {
  const at = pathOf(text);
  if (at === undefined) return [];
  if (at.first === 'active')
    return [{ op: op === 'remove' ? 'remove' : 'replace', path: 'active', value: booleanOf(value) }];
  if (at.first === 'emails') return emailOperation(op, value);
  if (at.first === 'members') {
    const named = /^members\[\s*value\s+eq\s+"([^"]*)"\s*\]$/i.exec(at.path)?.[1];
    if (op === 'remove') {
      if (named === undefined && at.path === 'members' && value === undefined)
        return [{ op: 'remove', path: 'members' }];
      if (named === undefined && at.path !== 'members')
        throw scimError(400, 'invalidPath', `the path ${text} cannot be read`);
      const gone = named === undefined ? memberIds(value) : [named];
      return gone.filter((id) => members.includes(id)).map((id) => ({ op, path: `members[value eq "${id}"]` }));
    }
    const ids = [...new Set(memberIds(value))];
    if (op === 'replace') return [{ op, path: 'members', value: ids.map((id) => ({ value: id })) }];
    const fresh = ids.filter((id) => !members.includes(id));
    return fresh.length === 0 ? [] : [{ op, path: 'members', value: fresh.map((id) => ({ value: id })) }];
  }
  return [{ op, path: at.path, ...(value === undefined ? {} : { value }) }];
}

/**
 * The changes of a PATCH, one for each path, of what is kept alone.
 *
 * @see RFC 7644, section 3.5.2
 */
export function operationsOf(body: unknown, members: readonly string[]): Operation[] {
  const listed = isObject(body) ? (body['Operations'] ?? body['operations']) : undefined;
  if (!Array.isArray(listed) || listed.length === 0)
    throw scimError(400, 'invalidSyntax', 'a PATCH needs Operations, a list of changes');
  return listed.flatMap((one: unknown): Operation[] => {
    if (!isObject(one)) throw scimError(400, 'invalidSyntax', 'each of Operations is an object');
    const op = String(one['op']).toLowerCase();
    if (op !== 'add' && op !== 'replace' && op !== 'remove')
      throw scimError(400, 'invalidSyntax', `op is add, replace or remove, not "${String(one['op'])}"`);
    const { path, value } = one;
    if (typeof path === 'string' && path !== '') return operationsAt(path, op, value, members);
    if (op === 'remove') throw scimError(400, 'noTarget', 'a removal needs a path');
    if (!isObject(value)) throw scimError(400, 'invalidValue', 'a change without a path needs an object as its value');
    return Object.entries(value).flatMap(([key, part]) => operationsAt(key, op, part, members));
  });
}

/** What differs by capitals is the same everywhere but in these. */
const exact = new Set(['id', 'externalid']);

function lowered(value: unknown, key = ''): unknown {
  if (typeof value === 'string') return exact.has(key.toLowerCase()) ? value : value.toLowerCase();
  if (Array.isArray(value)) return value.map((one) => lowered(one, key));
  if (!isObject(value)) return value;
  return Object.fromEntries(Object.entries(value).map(([name, one]) => [name, lowered(one, name)]));
}

function loweredFilter(node: Filter): Filter {
  const path = (text: string) => text.replace(coreSchemas, '');
  switch (node.op) {
    case 'and':
    case 'or':
      return { ...node, filters: node.filters.map(loweredFilter) };
    case 'not':
      return { ...node, filter: loweredFilter(node.filter) };
    case '[]':
      return { ...node, attrPath: path(node.attrPath), valFilter: loweredFilter(node.valFilter) };
    case 'pr':
      return { ...node, attrPath: path(node.attrPath) };
    default: {
      const { compValue } = node;
      const isExact = exact.has(path(node.attrPath).toLowerCase()) || typeof compValue !== 'string';
      return { ...node, attrPath: path(node.attrPath), compValue: isExact ? compValue : compValue.toLowerCase() };
    }
  }
}

/** Which resources a filter wants. @throws `invalidFilter` where it cannot be read */
export function filterOf(text: unknown): (resource: object) => boolean {
  if (text === undefined) return () => true;
  try {
    const wanted = predicateOf(loweredFilter(parse(String(text))));
    return (resource) => wanted(lowered(resource));
  } catch (error) {
    throw scimError(400, 'invalidFilter', `the filter cannot be read: ${(error as Error).message}`);
  }
}

const mostAtOnce = 1_000;

/** A page of a list. @see RFC 7644, section 3.4.2.4 */
export function pageOf(query: Readonly<Record<string, unknown>>): { startIndex: number; count: number } {
  const numberOf = (name: string, usual: number) => {
    const text = query[name];
    if (text === undefined) return usual;
    if (typeof text !== 'string' || !/^-?\d{1,9}$/.test(text))
      throw scimError(400, 'invalidValue', `${name} is a whole number, not "${String(text)}"`);
    return Number(text);
  };
  return {
    startIndex: Math.max(1, numberOf('startIndex', 1)),
    count: Math.min(mostAtOnce, Math.max(0, numberOf('count', mostAtOnce))),
  };
}
