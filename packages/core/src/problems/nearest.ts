/** Damerau-Levenshtein distance (optimal string alignment), given up once it must pass `limit`. */
function distance(a: string, b: string, limit: number): number {
  if (Math.abs(a.length - b.length) > limit) return limit + 1;
  let before: number[] = [];
  let last = Array.from({ length: b.length + 1 }, (_, j) => j);
  for (let i = 1; i <= a.length; i += 1) {
    const row = [i];
    let least = i;
    for (let j = 1; j <= b.length; j += 1) {
      const change = a[i - 1] === b[j - 1] ? 0 : 1;
      let cost = Math.min((last[j] ?? 0) + 1, (row[j - 1] ?? 0) + 1, (last[j - 1] ?? 0) + change);
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) {
        cost = Math.min(cost, (before[j - 2] ?? 0) + 1);
      }
      row.push(cost);
      least = Math.min(least, cost);
    }
    if (least > limit) return limit + 1;
    before = last;
    last = row;
  }
  return last[b.length] ?? 0;
}

/** The known name most like `name`, if one is near enough that a slip of the hand explains it. */
export function nearest(name: string, known: Iterable<string>): string | undefined {
  const wanted = name.toLowerCase();
  const limit = Math.max(1, Math.floor(name.length / 3));
  let best: string | undefined;
  let least = limit + 1;
  for (const candidate of known) {
    const d = candidate.toLowerCase() === wanted ? 0 : distance(wanted, candidate.toLowerCase(), limit);
    if (d < least) [best, least] = [candidate, d];
  }
  return best;
}

/** “did you mean …” when a name is near, else the list of what there is (at most eight names). */
export function didYouMean(name: string, known: Iterable<string>): string | undefined {
  const all = [...known];
  const near = nearest(name, all);
  if (near !== undefined) return `Did you mean "${near}"?`;
  if (all.length === 0) return undefined;
  const shown = all.slice(0, 8).join(', ');
  return `Known here: ${shown}${all.length > 8 ? `, and ${all.length - 8} more` : ''}.`;
}
