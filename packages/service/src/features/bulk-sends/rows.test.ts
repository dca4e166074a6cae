import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { LONGEST_ROW, readRows, type SourceRow } from './rows.js';
import type { BulkCursor } from './tables.js';

const START = { kind: 'rows', piece: 0, at: 0 } as const;
const cut = (text: string, sizes: readonly number[]): Buffer[] => {
  const bytes = Buffer.from(text);
  const out: Buffer[] = [];
  for (let at = 0, i = 0; at < bytes.length; i += 1) {
    const size = sizes[i % sizes.length] ?? 1;
    out.push(bytes.subarray(at, at + size));
    at += size;
  }
  return out;
};

test('lines are read the same however the bytes are cut, and wherever reading stops and goes on', () => {
  fc.assert(
    fc.property(
      fc.array(fc.string({ unit: 'grapheme' }).map((text) => text.replace(/[\r\n]/g, ' '))),
      fc.array(fc.integer({ min: 1, max: 12 }), { minLength: 1 }),
      fc.integer({ min: 1, max: 4 }),
      fc.boolean(),
      (lines, sizes, most, isEnded) => {
        const pieces = cut(lines.join('\n') + (isEnded ? '\n' : ''), sizes);
        const found: SourceRow[] = [];
        let from: Extract<BulkCursor, { kind: 'rows' }> = START;
        for (;;) {
          const { rows, isEnd, after } = readRows((n) => pieces[n], from, most);
          found.push(...rows);
          expect(rows.length).toBeLessThanOrEqual(most);
          if (isEnd) break;
          from = after;
        }
        expect(found.map(({ text }) => text)).toEqual(
          lines.map((text) => text.replace(/^\uFEFF/, '').trim()).filter((text) => text !== ''),
        );
        // From after any row, what follows it follows.
        for (const [i, row] of found.entries()) {
          const rest = readRows((n) => pieces[n], row.after as typeof from, 1000).rows.map(({ text }) => text);
          expect(rest).toEqual(found.slice(i + 1).map(({ text }) => text));
        }
      },
    ),
  );
});

test('a row without an end is refused before it fills the memory', () => {
  const piece = Buffer.alloc(256 * 1024, 'x');
  expect(() => readRows(() => piece, START, 10)).toThrow(`${LONGEST_ROW} bytes`);
});
