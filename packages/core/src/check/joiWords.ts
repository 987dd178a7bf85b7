import type Joi from 'joi';

/** What is wrong with a part of an input, as its sender reads it. */
export interface Words {
  readonly message: string;
  readonly hint?: string;
}

type Context = Joi.Context & Readonly<Record<string, unknown>>;
type Wording = (label: string, context: Context) => Words;

const counted = (count: unknown, one: string, many = `${one}s`) =>
  `${String(count)} ${Number(count) === 1 ? one : many}`;
const limitOf = (context: Context) => {
  const { limit } = context as { limit?: unknown };
  return limit instanceof Date ? limit.toISOString() : String(limit);
};
const listed = (names: unknown) => (Array.isArray(names) ? names : [names]).map((one) => `“${String(one)}”`).join(', ');

/** The same words whatever was given. */
const says =
  (words: string, hint?: string): Wording =>
  (label) => ({ message: `${label} ${words}.`, ...(hint === undefined ? {} : { hint }) });
/** Words with the limit that was passed. */
const saysLimit =
  (words: (limit: string, context: Context) => string): Wording =>
  (label, context) => ({ message: `${label} ${words(limitOf(context), context)}.` });

const notAlone: Wording = (_label, context) => ({
  message: `${listed(context['presentWithLabels'] ?? context['mainWithLabel'])} needs ${listed(context['missingWithLabels'] ?? context['peerWithLabel'])} with it.`,
});
const oneOf: Wording = (_label, context) => ({
  message: `One of ${listed(context['peersWithLabels'])} is needed.`,
});
const onlyOne: Wording = (_label, context) => ({
  message: `Only one of ${listed(context['peersWithLabels'] ?? context['presentWithLabels'])} is possible.`,
});
const wrongForm = says('has none of the allowed forms');
const addMissing = 'Add it.';
const givenOrNot = 'Give it a value, or leave it out.';

/** By the code that the library gives a mistake. */
export const joiWords: Readonly<Record<string, Wording>> = {
  'any.required': says('is missing', addMissing),
  'any.unknown': says('is not allowed', 'Leave it out.'),
  'any.invalid': says('has a value that is not allowed'),
  'any.only': says('is not one of the allowed values'),
  'any.default': says('is missing', addMissing),
  'any.failover': says('is missing', addMissing),
  'any.ref': says('does not fit what it refers to'),
  'any.custom': (label, { error }) => ({
    message: `${label}: ${(error as Error | undefined)?.message ?? 'it cannot be read'}`,
  }),
  'string.base': says('must be text'),
  'string.empty': says('is empty', givenOrNot),
  'string.min': saysLimit((limit) => `needs at least ${counted(limit, 'character')}`),
  'string.max': saysLimit((limit) => `may have ${counted(limit, 'character')} at most`),
  'string.length': saysLimit((limit) => `must have ${counted(limit, 'character')}`),
  'string.email': says('is not an email address'),
  'string.uri': says('is not a URL', 'Write it in full, such as https://example.org/page.'),
  'string.uriCustomScheme': (label, { scheme }) => ({
    message: `${label} is not a URL that begins with ${String(scheme).split('|').join(' or ')}.`,
  }),
  'string.uriRelativeOnly': says('must be an address without a host'),
  'string.hostname': says('is not a host name'),
  'string.domain': says('is not a domain name'),
  'string.ip': says('is not an IP address'),
  'string.ipVersion': says('is not an IP address of this kind'),
  'string.origin': says('must be scheme, host and port alone', 'Write it like https://portal.example.'),
  'string.guid': says('is not a UUID'),
  'string.hex': says('may have the digits 0 to 9 and a to f only'),
  'string.hexAlign': says('must have an even number of digits'),
  'string.base64': says('is not written in Base64'),
  'string.dataUri': says('is not a data: address'),
  'string.isoDate': says('is not a day or timestamp', 'Write it like 2026-10-01 or 2026-10-01T06:00:00Z.'),
  'string.isoDuration': says('is not a duration', 'Write it like P1D or PT15M.'),
  'string.alphanum': says('may have letters and digits only'),
  'string.token': says('may have letters, digits and underscores only'),
  'string.trim': says('may not begin or end with a space'),
  'string.lowercase': says('may have lower-case letters only'),
  'string.uppercase': says('may have upper-case letters only'),
  'string.normalize': says('must be in a normal form of Unicode'),
  'string.creditCard': says('is not a card number'),
  'string.pattern.base': says('is not allowed'),
  'string.pattern.name': says('is not allowed'),
  'string.pattern.invert.base': says('is not allowed'),
  'string.pattern.invert.name': says('is not allowed'),
  'number.base': says('must be a number'),
  'number.integer': says('must be a whole number'),
  'number.min': saysLimit((limit) => `must be ${limit} or more`),
  'number.max': saysLimit((limit) => `must be ${limit} or less`),
  'number.less': saysLimit((limit) => `must be less than ${limit}`),
  'number.greater': saysLimit((limit) => `must be more than ${limit}`),
  'number.positive': says('must be more than 0'),
  'number.negative': says('must be less than 0'),
  'number.port': says('must be a port number from 0 to 65535'),
  'number.multiple': (label, { multiple }) => ({ message: `${label} must be a multiple of ${String(multiple)}.` }),
  'number.precision': saysLimit((limit) => `may have ${counted(limit, 'decimal place')} at most`),
  'number.unsafe': says('is too large a number'),
  'number.infinity': says('must be a finite number'),
  'boolean.base': says('must be true or false'),
  'date.base': says('must be a day or a timestamp', 'Write it like 2026-10-01 or 2026-10-01T06:00:00Z.'),
  'date.format': says('must be a day or a timestamp', 'Write it like 2026-10-01 or 2026-10-01T06:00:00Z.'),
  'date.format.iso': says('must be a day or a timestamp', 'Write it like 2026-10-01 or 2026-10-01T06:00:00Z.'),
  'date.format.javascript': says('must be a timestamp in milliseconds'),
  'date.format.unix': says('must be a timestamp in seconds'),
  'date.strict': says('must be a day or a timestamp', 'Write it like 2026-10-01 or 2026-10-01T06:00:00Z.'),
  'date.min': saysLimit((limit) => `must be ${limit} or later`),
  'date.max': saysLimit((limit) => `must be ${limit} or earlier`),
  'date.less': saysLimit((limit) => `must be earlier than ${limit}`),
  'date.greater': saysLimit((limit) => `must be later than ${limit}`),
  'array.base': says('must be a list'),
  'array.min': saysLimit((limit) => `needs at least ${counted(limit, 'entry', 'entries')}`),
  'array.max': saysLimit((limit) => `may have ${counted(limit, 'entry', 'entries')} at most`),
  'array.length': saysLimit((limit) => `must have ${counted(limit, 'entry', 'entries')}`),
  'array.unique': (label, { dupePos }) => ({
    message: `${label} is there already, as entry ${Number(dupePos) + 1}.`,
    hint: 'Leave one of them out.',
  }),
  'array.sparse': says('may not be missing'),
  'array.excludes': says('is not allowed'),
  'array.includes': wrongForm,
  'array.includesRequiredUnknowns': says('lacks an entry'),
  'array.includesRequiredKnowns': says('lacks an entry'),
  'array.includesRequiredBoth': says('lacks an entry'),
  'array.hasKnown': says('lacks an entry'),
  'array.hasUnknown': says('lacks an entry'),
  'array.orderedLength': saysLimit((limit) => `may have ${counted(limit, 'entry', 'entries')} at most`),
  'array.sort': says('is not in order'),
  'array.sort.mismatching': says('has entries of several kinds'),
  'array.sort.unsupported': says('has entries that have no order'),
  'object.base': says('must be an object'),
  'object.unknown': says('is unknown'),
  'object.and': notAlone,
  'object.with': notAlone,
  'object.nand': onlyOne,
  'object.oxor': onlyOne,
  'object.xor': onlyOne,
  'object.missing': oneOf,
  'object.or': oneOf,
  'object.without': (_label, { mainWithLabel, peerWithLabel }) => ({
    message: `${listed(mainWithLabel)} and ${listed(peerWithLabel)} cannot be used together.`,
  }),
  'object.min': saysLimit((limit) => `needs at least ${counted(limit, 'entry', 'entries')}`),
  'object.max': saysLimit((limit) => `may have ${counted(limit, 'entry', 'entries')} at most`),
  'object.length': saysLimit((limit) => `must have ${counted(limit, 'entry', 'entries')}`),
  'object.assert': says('does not fit the rest'),
  'object.instance': wrongForm,
  'object.pattern.match': says('has names that are not allowed'),
  'object.refType': wrongForm,
  'object.regex': wrongForm,
  'object.rename.multiple': says('is there more than once'),
  'object.rename.proto': says('is not allowed'),
  'object.rename.override': says('is there more than once'),
  'object.schema': wrongForm,
  'alternatives.all': wrongForm,
  'alternatives.any': wrongForm,
  'alternatives.match': wrongForm,
  'alternatives.one': wrongForm,
  'alternatives.types': (label, { types }) => ({ message: `${label} must be one of: ${[types].flat().join(', ')}.` }),
};

/** How a part is called: `name`, or the second entry of `days`. */
export function labelOf(path: readonly (string | number)[]): string {
  const last = path.at(-1);
  if (last === undefined) return 'The input';
  if (typeof last !== 'number') return `“${last}”`;
  const list = path.findLast((one) => typeof one === 'string');
  return list === undefined ? `Entry ${last + 1}` : `Entry ${last + 1} of “${list}”`;
}

/** What is wrong, in our words; of a code that has none, that it does not fit. */
export function wordsOf({ type, path, context, message }: Joi.ValidationErrorItem): Words {
  // Our own words, said where a value is checked.
  if (type === 'custom') return { message };
  return (joiWords[type] ?? says('does not fit'))(labelOf(path), (context ?? {}) as Context);
}
