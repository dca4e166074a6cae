import damerauLevenshtein from 'damerau-levenshtein';

/** Slips between two names: letters added, left out, changed or swapped. Lengths that differ by more than `limit` are not looked at. */
function slips(a: string, b: string, limit: number): number {
  return Math.abs(a.length - b.length) > limit ? limit + 1 : damerauLevenshtein(a, b).steps;
}

/** The known name most like `name`, if one is near enough that a slip of the hand explains it. */
export function nearest(name: string, known: Iterable<string>): string | undefined {
  const wanted = name.toLowerCase();
  const limit = Math.max(1, Math.floor(name.length / 3));
  let best: string | undefined;
  let least = limit + 1;
  for (const candidate of known) {
    const d = candidate.toLowerCase() === wanted ? 0 : slips(wanted, candidate.toLowerCase(), limit);
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
