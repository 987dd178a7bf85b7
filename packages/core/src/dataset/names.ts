/** Names of datasets, reports, bursts and lists: lower case, digits and hyphens, stable in addresses. */
export const thingName = /^[a-z][a-z0-9]*(?:-[a-z0-9]+)*$/;
/** Names of columns, parameters, measures and figures. */
export const fieldName = /^[a-z][a-z0-9_]{0,62}$/;

/** Letters that are no other letter with a mark. */
const spelled: Readonly<Record<string, string>> = {
  ß: 'ss',
  æ: 'ae',
  œ: 'oe',
  ø: 'o',
  ł: 'l',
  đ: 'd',
  ð: 'd',
  þ: 'th',
};

/** A column name made of a heading: `Quay name` becomes `quay_name`. */
export function toFieldName(heading: string): string {
  const bare = heading
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[ßæœøłđðþ]/g, (letter) => spelled[letter]!)
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^_+|_+$/g, '')
    .slice(0, 60);
  return /^[a-z]/.test(bare) ? bare : `column_${bare || 'x'}`;
}
