import { LRUCache } from 'lru-cache';

function isSame(a: readonly string[], b: readonly string[]): boolean {
  for (let i = 0; i < a.length; i += 1) if (a[i] !== b[i]) return false;
  return true;
}

/** Keeps what `make` made for each list of texts. Intl objects are slow to make and cheap to keep; the count is bounded. */
export function memo<A extends readonly string[], T>(make: (...key: A) => T, most = 500): (...key: A) => T {
  // Made with the first entry, since it takes room for all of them at once.
  let kept: LRUCache<string, { readonly made: T }> | undefined;
  let last: readonly string[] = [];
  let lastMade: T | undefined;
  return (...key) => {
    // One mail asks for the same again and again.
    if (lastMade !== undefined && isSame(key, last)) return lastMade;
    const name = key.join('\n');
    kept ??= new LRUCache({ max: most });
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
