import { LRUCache } from 'lru-cache';

/**
 * Keeps the entries that were used last. It grows with what is kept: the package's `max` takes room for all of them at once, which was an eighth
 * of the time in which a service starts.
 *
 * @param most entries
 */
export function boundedCache<K extends string | number, V extends object | string | number>(most: number): LRUCache<K, V> {
  return new LRUCache<K, V>({ maxSize: most, sizeCalculation: () => 1 });
}
