import { problem, type Problem, type SourceText } from '../problems/index.js';
import { parseParts } from './parts.js';
import type { Argument } from './tree.js';

const NAME = /[A-Za-z][A-Za-z0-9_-]*/y;

/** Reads `"first value" key=value key="value with {{ expressions }}"` from `source.text[from, to)`. */
export function parseArguments(source: SourceText, from: number, to: number, problems: Problem[]): Argument[] {
  const { text } = source;
  const out: Argument[] = [];
  let at = from;
  for (;;) {
    while (at < to && /\s/.test(text[at] ?? '')) at += 1;
    if (at >= to) return out;
    const start = at;
    NAME.lastIndex = at;
    const key = NAME.exec(text)?.[0];
    const named = key !== undefined && text[at + key.length] === '=' && at + key.length < to;
    if (named) at += key.length + 1;
    const value = readValue(source, at, to, problems);
    at = value.end;
    const place = source.place(start, at - start);
    const name = named ? key : undefined;
    if (name === undefined && out.length > 0) {
      problems.push(
        problem(
          'argument-order',
          place,
          'Only the first argument goes without a name.',
          'Write name=value, and put quotes around a value with spaces.',
        ),
      );
      continue;
    }
    if (name !== undefined && out.some((argument) => argument.name === name)) {
      problems.push(problem('argument-twice', place, `The argument "${name}" is given twice.`));
      continue;
    }
    out.push({ name, parts: parseParts(source, value.from, value.to, problems), bare: value.end === value.to, place });
  }
}

/** A quoted value, or a bare one up to the next space outside braces. */
function readValue(source: SourceText, at: number, to: number, problems: Problem[]): { from: number; to: number; end: number } {
  const { text } = source;
  const quote = text[at];
  const quoted = quote === '"' || quote === "'";
  let inside = 0;
  for (let i = quoted ? at + 1 : at; i < to; i += 1) {
    if (text.startsWith('{{', i)) {
      inside += 1;
      i += 1;
    } else if (text.startsWith('}}', i) && inside > 0) {
      inside -= 1;
      i += 1;
    } else if (inside === 0 && (quoted ? text[i] === quote : /\s/.test(text[i] ?? ''))) {
      return quoted ? { from: at + 1, to: i, end: i + 1 } : { from: at, to: i, end: i };
    }
  }
  if (quoted) {
    problems.push(problem('string-open', source.place(at, to - at), 'This value is not closed.', `Add a closing ${quote}.`));
  }
  return { from: quoted ? at + 1 : at, to, end: to };
}
