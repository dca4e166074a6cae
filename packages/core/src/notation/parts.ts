import { problem, type Problem, type SourceText } from '../problems/index.js';
import type { Insertion } from './expression.js';
import { parseInsertion } from './parse-expression.js';
import type { Part } from './tree.js';

/** A stretch of text with `{{ … }}` found in it. */
export type Piece =
  | { readonly kind: 'text'; readonly from: number; readonly to: number }
  | { readonly kind: 'braces'; readonly from: number; readonly to: number }
  | { readonly kind: 'insertion'; readonly from: number; readonly to: number; readonly insertion: Insertion | undefined };

/** The offset after the `}}` that closes what opens before `from`; strings may hold braces. -1 when it is not closed. */
function closingBraces(text: string, from: number, to: number): number {
  let quote = '';
  for (let i = from; i < to; i += 1) {
    const char = text[i] ?? '';
    if (quote !== '') {
      if (char === '\\') i += 1;
      else if (char === quote) quote = '';
    } else if (char === '"' || char === "'") quote = char;
    else if (char === '}' && text[i + 1] === '}' && i + 1 < to) return i + 2;
    else if (char === '{' && text[i + 1] === '{') return -1;
  }
  return -1;
}

/** Whether a comment begins at these braces. The space sets it apart from other notations, which would vanish unnoticed. */
export const COMMENT = /\{\{#(?=\s|\}\})/y;

/** Cuts `source.text[from, to)` at its insertions. `{{{{` and `\{{` are literal braces. */
export function cut(source: SourceText, from: number, to: number, problems: Problem[]): Piece[] {
  const { text } = source;
  const out: Piece[] = [];
  let start = from;
  const flush = (end: number): void => {
    if (end > start) out.push({ kind: 'text', from: start, to: end });
  };
  let isUnclosed = false;
  let at = text.indexOf('{{', from);
  while (at !== -1 && at < to) {
    let end: number;
    if (at > from && text[at - 1] === '\\') {
      flush(at - 1);
      end = at + 2;
      out.push({ kind: 'braces', from: at - 1, to: end });
    } else if (text.startsWith('{{{{', at) && at + 4 <= to) {
      flush(at);
      end = at + 4;
      out.push({ kind: 'braces', from: at, to: end });
    } else {
      flush(at);
      COMMENT.lastIndex = at;
      const isComment = COMMENT.test(text);
      const close: number = isComment && !isUnclosed ? text.indexOf('}}', at) : -1;
      // Looked for once: a text of many comments that are never closed costs no more than its length.
      isUnclosed ||= isComment && close === -1;
      end = isComment ? (close === -1 || close + 2 > to ? -1 : close + 2) : closingBraces(text, at + 2, to);
      if (end === -1) {
        const line = text.indexOf('\n', at);
        end = Math.min(to, line === -1 ? to : line);
        problems.push(
          problem('braces-open', source.place(at, 2), 'These braces are not closed by "}}".', 'For literal braces write \\{{ or {{{{.'),
        );
        out.push({ kind: 'insertion', from: at, to: end, insertion: undefined });
      } else if (isComment) {
        out.push({ kind: 'insertion', from: at, to: end, insertion: { kind: 'comment', place: source.place(at, end - at) } });
      } else {
        out.push({ kind: 'insertion', from: at, to: end, insertion: parseInsertion(source, at + 2, end - 2, problems) });
      }
    }
    start = end;
    at = text.indexOf('{{', end);
  }
  flush(to);
  return out;
}

/** Text with values only (an argument, an address, a subject): `if` and `end` have no place here. */
export function parseParts(source: SourceText, from: number, to: number, problems: Problem[]): Part[] {
  const out: Part[] = [];
  for (const piece of cut(source, from, to, problems)) {
    if (piece.kind === 'text') out.push(source.text.slice(piece.from, piece.to));
    else if (piece.kind === 'braces') out.push('{{');
    else if (piece.insertion?.kind === 'value') out.push(piece.insertion.value);
    else if (piece.insertion !== undefined && piece.insertion.kind !== 'comment') problems.push(noSteering(piece.insertion));
  }
  return out;
}

export function noSteering(insertion: Insertion): Problem {
  return problem(
    'steering-here',
    insertion.place,
    `"{{ ${insertion.kind} }}" works in a paragraph only.`,
    'Here, choose between values: {{ test ? "one" : "other" }}.',
  );
}
