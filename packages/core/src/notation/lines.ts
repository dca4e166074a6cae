import type { Region } from './markdown.js';

export interface Line {
  readonly text: string;
  readonly offset: number;
}

/** What opens or closes a block of code. */
export const FENCE = /^ {0,3}(`{3,}|~{3,})/;

/** Whether a line closes a block of code. */
export function closes(line: string, fence: string): boolean {
  const mark = FENCE.exec(line)?.[1];
  return mark !== undefined && mark[0] === fence[0] && mark.length >= fence.length && line.trim() === mark;
}

/** How far the first line with words is indented. */
export function indentOfRegion(region: Region): number {
  return indentOf(region.lines.find((line) => line.text.trim() !== '')?.text ?? '');
}

/** Lines cut where they are indented less than those before them. */
export function steps(region: Region): Region[] {
  const out: { lines: Region['lines'][number][] }[] = [];
  let least = -1;
  for (const line of region.lines) {
    const last = out[out.length - 1];
    const indent = indentOf(line.text);
    if (last === undefined || (line.text.trim() !== '' && indent < least)) {
      out.push({ lines: [line] });
      least = line.text.trim() === '' ? 0 : indent;
    } else last.lines.push(line);
  }
  return out;
}

/** Lines without so much of their indentation. */
export function cutBy(region: Region, column: number): Region {
  return {
    lines: region.lines.map((line) => {
      const cut = Math.min(column, indentOf(line.text));
      return { text: line.text.slice(cut), offset: line.offset + cut };
    }),
  };
}

/** How far a line is indented. */
export function indentOf(line: string): number {
  return line.length - line.trimStart().length;
}

/** The lines of a text from an offset on, without their ends. */
export function* linesOf(text: string, from: number): Generator<Line> {
  let at = from;
  while (at < text.length) {
    const end = text.indexOf('\n', at);
    const stop = end === -1 ? text.length : end;
    yield { text: text.slice(at, text[stop - 1] === '\r' && stop > at ? stop - 1 : stop), offset: at };
    at = stop + 1;
  }
}
