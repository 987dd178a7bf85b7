/** Advance widths of Source Sans 3, from U+0020 to U+007E, in thousandths of the font size. */
const advances = [
  200, 289, 426, 497, 497, 824, 609, 249, 303, 303, 418, 497, 249, 311, 249, 350, 497, 497, 497, 497, 497, 497, 497,
  497, 497, 497, 249, 249, 497, 497, 497, 425, 847, 543, 588, 571, 615, 527, 494, 617, 652, 263, 479, 579, 486, 727,
  647, 664, 566, 664, 569, 534, 536, 645, 515, 786, 513, 476, 539, 303, 350, 303, 497, 500, 542, 504, 553, 456, 555,
  496, 292, 504, 544, 246, 247, 495, 255, 829, 547, 542, 555, 555, 347, 419, 338, 544, 467, 719, 446, 467, 425, 303,
  241, 303, 497,
];
/** Of signs that stand in titles and between names. */
const others: Readonly<Record<string, number>> = {
  '–': 480,
  '—': 800,
  '…': 948,
  '·': 249,
  '“': 426,
  '”': 426,
  '’': 249,
};
/** Letters that are no Latin ones with a mark: about what Greek and Cyrillic take. */
const usual = 590;
const isWide = /[\u1100-\u115f\u2e80-\ua4cf\uac00-\ud7a3\uf900-\ufaff\ufe30-\ufe6f\uff00-\uff60]/;

function advanceOf(character: string): number {
  const known = advances[character.charCodeAt(0) - 0x20] ?? others[character];
  if (known !== undefined) return known;
  const [base = '', ...marks] = character.normalize('NFD');
  if (marks.length > 0 && base !== character) return advanceOf(base);
  if (/\p{Mark}/u.test(character)) return 0;
  return isWide.test(character) || character.length > 1 ? 1000 : usual;
}

/** About how wide a text of one line is, without a font at hand. @param size - of the font; the answer is in the same unit */
export function textWidth(text: string, size: number): number {
  let width = 0;
  for (const character of text) width += advanceOf(character);
  return (width * size) / 1000;
}

/** A text that fits, its end replaced by an ellipsis if it has to be cut. @param room - in the unit of `size` */
export function shorten(text: string, room: number, size: number): string {
  if (textWidth(text, size) <= room) return text;
  let left = room - textWidth('…', size);
  let shown = '';
  for (const character of text) {
    left -= textWidth(character, size);
    if (left < 0) break;
    shown += character;
  }
  return `${shown.trimEnd()}…`;
}
