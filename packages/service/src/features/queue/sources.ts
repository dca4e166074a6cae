import type { SigningKey } from '@verbalis/core/dkim';
import { LRUCache } from 'lru-cache';
import { editionOf, type EditionParts, type LoadedEdition } from '../editions/index.js';
import type { Provider } from '../providers/index.js';
import type { HandOverSources } from './hand-over.js';

/** What a delivery worker without the database asks for. */
export interface Asked {
  readonly providers: ReadonlyMap<string, Provider>;
  readonly edition: (space: string, number: number) => Promise<EditionParts | undefined>;
  readonly keys: (domain: string) => Promise<readonly SigningKey[]>;
}

const EDITIONS = 8;
/** How long the keys of a domain are remembered: new ones sign from then on. In milliseconds. */
const KEYS_MS = 5000;

/** Sources for who hands over without the database: what was asked for is remembered. */
export function sourcesElsewhere({ providers, edition: askEdition, keys: askKeys }: Asked): HandOverSources {
  const editions = new LRUCache<string, Promise<LoadedEdition | undefined>>({ max: EDITIONS });
  const keys = new LRUCache<string, Promise<readonly SigningKey[]>>({ max: 1000, ttl: KEYS_MS });
  return {
    provider: (name) => providers.get(name),
    edition(space, number) {
      const key = `${space}/${number}`;
      let edition = editions.get(key);
      if (edition === undefined) {
        edition = askEdition(space, number).then((parts) => (parts === undefined ? undefined : editionOf(space, number, parts)));
        editions.set(key, edition);
        edition.then(
          (loaded) => loaded === undefined && editions.delete(key),
          () => editions.delete(key),
        );
      }
      return edition;
    },
    keysFor(domain) {
      let found = keys.get(domain);
      if (found === undefined) {
        found = askKeys(domain);
        keys.set(domain, found);
        found.catch(() => keys.delete(domain));
      }
      return found;
    },
    files: {
      attachments: () => [],
      bytes: () => {
        throw new Error('Stored files are with the database.');
      },
    },
  };
}
