/** So many letters of a tab's name fit beside the others of a channel. */
export const tabNameLength = 24;

/** Words that a short name can do without at its end. */
const hanging = /[\s,;:–—-]+(?:of|the|for|by|in|on|at|and|or|with|to|a|an|&)?$/i;

function withoutHanging(text: string): string {
  const shorter = text.replace(hanging, '');
  return shorter === text ? text : withoutHanging(shorter);
}

/** A short name for a tab, as a team would say it: the title as far as it fits, in whole words. */
export function tabNameFor(title: string): string {
  // What stands in brackets or behind a colon explains the rest.
  const plain = title.replace(/\s+/g, ' ').trim();
  const main = plain.replace(/\s*[([].*$/, '').replace(/\s*(?::|\s[–—-]\s).*$/, '') || plain;
  if (main.length <= tabNameLength) return main;
  const cut = main.slice(0, tabNameLength + 1).replace(/\s+\S*$/, '');
  const whole = withoutHanging(cut.length > tabNameLength ? main.slice(0, tabNameLength) : cut);
  return whole === '' ? main.slice(0, tabNameLength) : whole;
}
