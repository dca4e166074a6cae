/** An answer is kept for so many times as long as it took to find. */
const KEPT_TIMES = 20;

/**
 * A look that costs more the more there is (all attempts of an hour) and that many ask for: what was found is told again for a while, which
 * is nothing where little is found, so that never more than a twentieth of the time goes into it.
 */
export function sparing<T>(look: () => T): () => T {
  let kept: { readonly value: T; readonly until: number } | undefined;
  return () => {
    const from = performance.now();
    if (kept !== undefined && from < kept.until) return kept.value;
    const value = look();
    const now = performance.now();
    kept = { value, until: now + KEPT_TIMES * (now - from) };
    return value;
  };
}
