import type { BulkCursor } from './tables.js';

/** The text of one row, and the cursor after it. */
export interface SourceRow {
  readonly text: string;
  readonly after: BulkCursor;
}

/** The longest row, in bytes. */
export const LONGEST_ROW = 1024 * 1024;

type RowsCursor = Extract<BulkCursor, { kind: 'rows' }>;

/**
 * Reads lines out of pieces of bytes, from where a cursor stands; empty ones are left out. No more is in memory than the lines that are given and
 * one piece. @throws RangeError for a line without an end
 */
export function readRows(
  piece: (n: number) => Buffer | undefined,
  from: RowsCursor,
  most: number,
): { readonly rows: readonly SourceRow[]; readonly isEnd: boolean; readonly after: RowsCursor } {
  const rows: SourceRow[] = [];
  let { piece: n, at } = from;
  let after = from;
  let held: Buffer[] = [];
  let heldBytes = 0;
  const take = (end: RowsCursor): void => {
    const text = Buffer.concat(held, heldBytes)
      .toString('utf8')
      .replace(/^\uFEFF/, '')
      .trim();
    [held, heldBytes] = [[], 0];
    after = end;
    if (text !== '') rows.push({ text, after: end });
  };
  for (;;) {
    const bytes = piece(n);
    if (bytes === undefined) {
      if (heldBytes > 0) take({ kind: 'rows', piece: n, at: 0 });
      return { rows, isEnd: true, after: { kind: 'rows', piece: n, at: 0 } };
    }
    while (at < bytes.length) {
      if (rows.length >= most) return { rows, isEnd: false, after };
      const end = bytes.indexOf(0x0a, at);
      const part = bytes.subarray(at, end === -1 ? bytes.length : end);
      held.push(part);
      heldBytes += part.length;
      if (heldBytes > LONGEST_ROW) throw new RangeError(`A row is longer than ${LONGEST_ROW} bytes.`);
      at = end === -1 ? bytes.length : end + 1;
      if (end !== -1) take({ kind: 'rows', piece: n, at });
    }
    n += 1;
    at = 0;
  }
}
