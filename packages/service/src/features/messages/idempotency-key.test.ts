import { expect, test } from '@jest/globals';
import { idempotencyKeyOf } from './index.js';

test.each([
  ['8e03978e-40d5-43e8-bc93-6894a57f9324', '8e03978e-40d5-43e8-bc93-6894a57f9324'],
  ['"8e03978e-40d5-43e8-bc93-6894a57f9324"', '8e03978e-40d5-43e8-bc93-6894a57f9324'],
  ['"say \\"yes\\""', 'say "yes"'],
  ['order:7;part=1', 'order:7;part=1'],
])('%s is the key %s (RFC 9651, 3.3.3)', (header, key) => {
  if (key.includes(' ')) expect(() => idempotencyKeyOf({ 'idempotency-key': header })).toThrow('visible ASCII');
  else expect(idempotencyKeyOf({ 'idempotency-key': header })).toBe(key);
});

test.each(['"', '"open', '""', 'a b', 'é', 'x'.repeat(201), '"a" "b"'])('%j is not a valid key', (header) => {
  expect(() => idempotencyKeyOf({ 'idempotency-key': header })).toThrow('It must have 1 to 200 visible ASCII characters');
});

test('without the header there is no key', () => {
  expect(idempotencyKeyOf({})).toBe(undefined);
});
