import { diffArrays } from 'diff';

/** Rows that are added and removed before two pictures count as different from the first to the last: looking costs their product. */
const MOST_CHANGES = 3000;

/** Rows that differ between two pictures: from the first on, and how many; none where there are only rows of the other picture. */
export interface ChangedRows {
  readonly before: readonly [from: number, count: number];
  readonly after: readonly [from: number, count: number];
}

/**
 * Where two lists of rows differ. What has only moved, because something above it was added or removed, does not differ.
 * @param before one text for each row, equal for equal rows
 */
export function changedRows(before: readonly string[], after: readonly string[]): ChangedRows[] {
  const out: ChangedRows[] = [];
  let [a, b] = [0, 0];
  let open: { before: [number, number]; after: [number, number] } | undefined;
  const parts = diffArrays([...before], [...after], { maxEditLength: MOST_CHANGES });
  if (parts === undefined) return [{ before: [0, before.length], after: [0, after.length] }];
  for (const { added, removed, count } of parts) {
    if (!added && !removed) {
      if (open !== undefined) out.push(open);
      open = undefined;
      a += count;
      b += count;
      continue;
    }
    open ??= { before: [a, 0], after: [b, 0] };
    if (removed) {
      open.before[1] += count;
      a += count;
    } else {
      open.after[1] += count;
      b += count;
    }
  }
  if (open !== undefined) out.push(open);
  return out;
}
