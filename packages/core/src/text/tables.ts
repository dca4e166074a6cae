import { displayWidth, padEnd, padStart } from './width.js';
import { wrap } from './wrap.js';

export interface TableRow {
  readonly cells: readonly string[];
  readonly total: boolean;
}

const GAP = '  ';

/** Labels and values: values in one column where the labels are short, else under their label. */
export function pairs(rows: readonly TableRow[], width: number): string[] {
  const labels = rows.map((row) => displayWidth(row.cells[0] ?? '') + 1);
  const widest = Math.max(0, ...labels);
  const column = Math.min(widest, Math.floor(width / 3));
  return rows.flatMap((row, i) => {
    const [label = '', value = ''] = row.cells;
    const head = `${label}:`;
    if (value === '') return [head];
    if ((labels[i] ?? 0) > column) return [head, ...wrap(value, width - 2).map((line) => `  ${line}`)];
    const lines = wrap(value, width - column - 1);
    // A word that does not fit beside the label has a line of its own.
    if (lines.some((line) => displayWidth(line) > width - column - 1)) return [head, ...wrap(value, width - 2).map((line) => `  ${line}`)];
    return lines.map((line, n) => `${padEnd(n === 0 ? head : '', column)} ${line}`);
  });
}

/** Columns set under each other, a rule under the first row where it is a `head`; the first takes what the others leave and is wrapped, numbers are set flush right. */
export function table(
  rows: readonly TableRow[],
  { right, width, head = false }: { readonly right: readonly boolean[]; readonly width: number; readonly head?: boolean },
): string[] {
  const count = Math.max(0, ...rows.map((row) => row.cells.length));
  if (count === 0) return [];
  const natural = Array.from({ length: count }, (_, c) => Math.max(0, ...rows.map((row) => displayWidth(row.cells[c] ?? ''))));
  const others = natural.slice(1).reduce((sum, number) => sum + number + GAP.length, 0);
  const first = Math.min(natural[0] ?? 0, Math.max(16, width - others));
  // Where the other columns leave no room, each row becomes a label with its values under it.
  if (first + others > width) return rows.flatMap((row) => stacked(row, width));
  const widths = [first, ...natural.slice(1)];
  const full = widths.reduce((sum, number) => sum + number, 0) + GAP.length * (count - 1);
  const out: string[] = [];
  rows.forEach((row, i) => {
    if (row.total && i > 0 && rows[i - 1]?.total !== true) out.push('-'.repeat(full));
    const [label = ''] = row.cells;
    const lines = wrap(label, first);
    // Values stand on the last line of a label that needs several.
    lines.forEach((line, n) => {
      const rest =
        n < lines.length - 1 ? [] : widths.slice(1).map((w, c) => cell(row.cells[c + 1] ?? '', { width: w, right: right[c + 1] === true }));
      out.push([padEnd(line, rest.length > 0 ? first : 0), ...rest].join(GAP).trimEnd());
    });
    if (head && i === 0) out.push('-'.repeat(full));
  });
  return out;
}

function cell(text: string, { width, right }: { readonly width: number; readonly right: boolean }): string {
  return right ? padStart(text, width) : padEnd(text, width);
}

function stacked(row: TableRow, width: number): string[] {
  const [head = '', ...rest] = row.cells;
  return [...wrap(head, width), ...rest.filter((text) => text !== '').flatMap((text) => wrap(text, width - 2).map((line) => `  ${line}`))];
}
