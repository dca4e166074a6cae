import type { Place, Problem } from './problem.js';

/** Columns of a source that a frame shows at most; of a longer line, those around the place. */
const WIDEST = 160;
/** Columns before the place that stay in a line that is cut. */
const BEFORE = 60;

/** The lines around a place, with a mark under it, as a terminal shows them. Long lines are cut. */
export function codeFrame(source: string, place: Place, around = 1): string {
  const lines = source.split(/\r\n|\n|\r/);
  const from = Math.max(1, place.line - around);
  const to = Math.min(lines.length, place.line + around);
  const width = String(to).length;
  const isLong = (lines[place.line - 1] ?? '').length > WIDEST;
  const start = isLong ? Math.max(0, place.column - 1 - BEFORE) : 0;
  const out: string[] = [];
  for (let n = from; n <= to; n += 1) {
    const line = lines[n - 1] ?? '';
    const shown = n === place.line ? cut(line, start) : cut(line, 0);
    out.push(`${n === place.line ? '>' : ' '} ${String(n).padStart(width)} | ${shown.replace(/\t/g, ' ')}`);
    if (n === place.line) {
      const column = place.column - start + (start > 0 ? 1 : 0);
      const span = Math.max(1, Math.min(place.length, line.length - place.column + 1, WIDEST - column + 1));
      out.push(`  ${' '.repeat(width)} | ${' '.repeat(column - 1)}${'^'.repeat(span)}`);
    }
  }
  return out.join('\n');
}

/** A line from a column on, with ellipses where it was cut. */
function cut(line: string, start: number): string {
  const end = start + WIDEST;
  return `${start > 0 ? '…' : ''}${line.slice(start, end)}${line.length > end ? '…' : ''}`;
}

/** A problem as people read it: place, sentence, frame, hint. `source` is the text of the file it names, if there is one. */
export function describe(problem: Problem, source: string | undefined): string {
  const { file, line, column } = problem.place;
  const head = `${file}:${line}:${column}  ${problem.severity} ${problem.code}\n  ${problem.message}`;
  const frame = source === undefined ? '' : `\n${codeFrame(source, problem.place)}`;
  return `${head}${frame}${problem.hint === undefined ? '' : `\n  ${problem.hint}`}`;
}
