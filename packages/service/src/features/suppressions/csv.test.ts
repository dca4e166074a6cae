import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { readSuppressions } from './csv.js';
import { scaled } from '../../../../../tests/support/scale.js';

// Files come from anywhere: each line is taken, or says what is wrong with it.

const PIECES = [
  '"',
  '""',
  ',',
  ';',
  '\r\n',
  '\n',
  '\r',
  '\uFEFF',
  "'=1+1",
  'a@b.example',
  '__proto__',
  'constructor',
  ' ',
  '\0',
  'failed',
  '2026-11-28',
  'é',
];

test('any text is read', () => {
  const text = fc
    .array(fc.oneof(fc.constantFrom(...PIECES), fc.string({ maxLength: 8 })), { maxLength: 60 })
    .map((parts) => parts.join(''));
  const header = fc.constantFrom('', 'address\n', 'address,topic,reason,note\r\n', 'address,address,__proto__\n', '"address\n');
  fc.assert(
    fc.property(header, text, (start, rest) => {
      for (const line of readSuppressions(start + rest)) {
        if ('problem' in line) expect(line.problem).not.toBe('');
        else expect(line.address).toMatch(/@/);
      }
      expect(({} as Record<string, unknown>)['note']).toBeUndefined();
    }),
    { numRuns: scaled(500, 5000) },
  );
});

test('what is never closed, and lines without end, are read in one go', () => {
  const many = 200_000;
  for (const text of ['"'.repeat(many), `address\n${'"a'.repeat(many)}`, `address\n${','.repeat(many)}`, `${'a,'.repeat(many)}\nx`])
    expect(readSuppressions(text).length).toBeLessThanOrEqual(many);
});
