import { expect, test } from '@jest/globals';
import { characterStrings, zoneLine } from './index.js';

test.each([
  [0, ['']],
  [1, ['x']],
  [255, ['x'.repeat(255)]],
  [256, ['x'.repeat(255), 'x']],
  [600, ['x'.repeat(255), 'x'.repeat(255), 'x'.repeat(90)]],
])('%d octets', (length, strings) => {
  expect(characterStrings('x'.repeat(length))).toEqual(strings);
});

test('quotes and backslashes stay what they are', () => {
  expect(zoneLine({ type: 'TXT', name: 's._domainkey.a.example', text: 'v=1; n="a\\b"' })).toBe(
    's._domainkey.a.example. 3600 IN TXT "v=1; n=\\"a\\\\b\\""',
  );
});
