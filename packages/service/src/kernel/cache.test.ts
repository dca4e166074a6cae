import { expect, test } from '@jest/globals';
import { boundedCache } from './cache.js';

test('a bounded cache keeps the entries that were used last', () => {
  const cache = boundedCache<string, number>(3);
  for (const [key, value] of [
    ['a', 1],
    ['b', 2],
    ['c', 3],
  ] as const)
    cache.set(key, value);
  cache.get('a');
  cache.set('d', 4);
  expect([...cache.keys()].sort()).toEqual(['a', 'c', 'd']);
  cache.set('a', 5);
  expect(cache.get('a')).toBe(5);
  expect(cache.size).toBe(3);
});
