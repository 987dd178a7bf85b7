/** Edit distance with transpositions (optimal string alignment); stops counting past `limit`. */
function editDistance(a: string, b: string, limit: number): number {
  if (Math.abs(a.length - b.length) > limit) return limit + 1;
  let before: number[] = [];
  let last = Array.from({ length: b.length + 1 }, (_, j) => j);
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    for (let j = 1; j <= b.length; j++) {
      const cost = a[i - 1] === b[j - 1] ? 0 : 1;
      let best = Math.min(last[j]! + 1, row[j - 1]! + 1, last[j - 1]! + cost);
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) best = Math.min(best, before[j - 2]! + 1);
      row[j] = best;
    }
    before = last;
    last = row;
  }
  return last[b.length]!;
}

/**
 * The valid names nearest to a word, best first, at most three.
 *
 * A difference in case, underscores or hyphens alone counts as nothing, so `Quay_ID` finds `quay_id`.
 */
export function nearestNames(word: string, names: Iterable<string>): string[] {
  const bare = (text: string) => text.toLowerCase().replace(/[_\-\s]/g, '');
  const wanted = bare(word.slice(0, 64));
  const limit = Math.max(1, Math.floor(wanted.length / 3));
  return [...new Set(names)]
    .map((name) => {
      const candidate = bare(name);
      const starts = wanted.length >= 3 && (candidate.startsWith(wanted) || wanted.startsWith(candidate));
      const distance = editDistance(wanted, candidate, limit);
      return { name, distance: distance > limit && starts ? limit : distance };
    })
    .filter(({ distance }) => distance <= limit)
    .sort((a, b) => a.distance - b.distance || (a.name < b.name ? -1 : 1))
    .slice(0, 3)
    .map(({ name }) => name);
}

/** A hint: the nearest valid name, or the valid names. */
export function suggest(word: string, names: Iterable<string>): { hint?: string; nearest?: string[] } {
  const all = [...names];
  const nearest = nearestNames(word, all);
  if (nearest[0] !== undefined) return { hint: `Did you mean “${nearest[0]}”?`, nearest };
  if (all.length === 0) return {};
  const shown = all.slice(0, 12).map((name) => `“${name}”`);
  return { hint: `Available: ${shown.join(', ')}${all.length > 12 ? ` and ${all.length - 12} more` : ''}.` };
}
