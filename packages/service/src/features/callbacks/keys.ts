import { isHostOf, type KeyFetch } from '@verbalis/core/profile';
import { LRUCache } from 'lru-cache';
import { fetchOutside, OutsideFault, type Clock, type OutsideRules } from '../../kernel/index.js';

/** Largest key or set of keys, in bytes. */
const MOST_BYTES = 256 * 1024;
const MOST_KEYS = 100;
/** An address that gave no key is not asked again for so long. In milliseconds. */
const FAILED_MS = 30_000;
const HOUR_MS = 3_600_000;
/** The caller chooses the URL within the allowed hosts, so fetches are limited; per minute. */
const MOST_A_MINUTE = 30;

export interface PublicKeys {
  /** @returns the keys as text, or why there are none. Never rejects. */
  readonly fetch: (wanted: KeyFetch) => Promise<{ readonly text: string } | { readonly why: string }>;
}

interface Kept {
  readonly until: number;
  readonly found: Promise<{ readonly text: string } | { readonly why: string }>;
}

/** Public keys of providers: fetched once for all who wait, and kept. */
export function publicKeys(clock: Clock, outside: OutsideRules, waitMs: number): PublicKeys {
  const kept = new LRUCache<string, Kept>({ max: MOST_KEYS });
  let minute = 0;
  let fetched = 0;

  async function fetchKeys({ url, hosts }: KeyFetch): Promise<{ readonly text: string } | { readonly why: string }> {
    try {
      const { bytes } = await fetchOutside(url, { ...outside, mayGo: (address) => isHostOf(address, hosts) }, MOST_BYTES, waitMs);
      return { text: bytes.toString('utf8') };
    } catch (error) {
      return { why: `Its key could not be fetched: ${error instanceof OutsideFault ? error.message : String(error)}` };
    }
  }

  return {
    fetch: async (wanted) => {
      const now = clock.elapsed();
      const known = kept.get(wanted.url);
      if (known !== undefined && now < known.until) return known.found;
      if (now - minute > 60_000) [minute, fetched] = [now, 0];
      if ((fetched += 1) > MOST_A_MINUTE) return { why: 'Too many keys were fetched within a minute.' };
      const found = fetchKeys(wanted);
      kept.set(wanted.url, { found, until: now + wanted.hours * HOUR_MS });
      if ('why' in (await found)) kept.set(wanted.url, { found, until: now + FAILED_MS });
      return found;
    },
  };
}
