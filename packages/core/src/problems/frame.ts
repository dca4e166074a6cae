import type { Place, Problem } from './problem.js';

/** The lines around a place, with a mark under it, as a terminal shows them. */
export function codeFrame(source: string, place: Place, around = 1): string {
  const lines = source.split(/\r\n|\n|\r/);
  const from = Math.max(1, place.line - around);
  const to = Math.min(lines.length, place.line + around);
  const width = String(to).length;
  const out: string[] = [];
  for (let n = from; n <= to; n += 1) {
    const line = lines[n - 1] ?? '';
    out.push(`${n === place.line ? '>' : ' '} ${String(n).padStart(width)} | ${line.replace(/\t/g, ' ')}`);
    if (n === place.line) {
      const span = Math.max(1, Math.min(place.length, line.length - place.column + 1));
      out.push(`  ${' '.repeat(width)} | ${' '.repeat(place.column - 1)}${'^'.repeat(span)}`);
    }
  }
  return out.join('\n');
}

/** A problem as people read it: place, sentence, frame, hint. `source` is the text of the file it names, if there is one. */
export function describe(one: Problem, source: string | undefined): string {
  const { file, line, column } = one.place;
  const head = `${file}:${line}:${column}  ${one.severity} ${one.code}\n  ${one.message}`;
  const frame = source === undefined ? '' : `\n${codeFrame(source, one.place)}`;
  return `${head}${frame}${one.hint === undefined ? '' : `\n  ${one.hint}`}`;
}
