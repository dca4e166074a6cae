import { LRUCache } from 'lru-cache';

/** Keeps what `make` made for each list of texts. Intl objects are slow to make and cheap to keep; the count is bounded. */
export function memo<A extends readonly string[], T>(make: (...key: A) => T, most = 500): (...key: A) => T {
  const kept = new LRUCache<string, { readonly made: T }>({ max: most });
  let last: readonly string[] = [];
  let lastMade: T | undefined;
  return (...key) => {
    // One mail asks for the same again and again.
    if (lastMade !== undefined && key.every((part, i) => part === last[i])) return lastMade;
    const name = key.join('\n');
    const found = kept.get(name);
    if (found !== undefined) {
      last = key;
      lastMade = found.made;
      return found.made;
    }
    const made = make(...key);
    kept.set(name, { made });
    last = key;
    lastMade = made;
    return made;
  };
}
