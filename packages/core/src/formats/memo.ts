/** Keeps what `make` made for each list of texts. Intl objects are slow to make and cheap to keep; the count is bounded. */
export function memo<A extends readonly string[], T>(make: (...key: A) => T, most = 500): (...key: A) => T {
  const kept = new Map<string, T>();
  return (...key) => {
    const name = key.join('\n');
    const found = kept.get(name);
    if (found !== undefined) return found;
    if (kept.size >= most) kept.clear();
    const made = make(...key);
    kept.set(name, made);
    return made;
  };
}
