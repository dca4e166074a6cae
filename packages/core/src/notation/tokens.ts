import { problem, type Problem, type SourceText } from '../problems/index.js';

export interface Token {
  readonly kind: 'name' | 'number' | 'string' | 'sign' | 'end';
  readonly text: string;
  readonly value?: string | number;
  readonly offset: number;
  readonly length: number;
}

const SIGNS = ['==', '!=', '<=', '>=', '??', '+', '-', '*', '/', '%', '<', '>', '?', ':', '|', '(', ')', '[', ']', '.', ',', '='];
const NAME = /[\p{L}_][\p{L}\p{N}_]*/uy;
const NUMBER = /[0-9]+(?:\.[0-9]+)?/y;
const ESCAPES: Readonly<Record<string, string>> = { n: '\n', t: '\t', '\\': '\\', '"': '"', "'": "'" };

/** Cuts `source.text[from, to)` into tokens. A fault ends in a problem and whatever was read up to it. */
export function tokenize(source: SourceText, from: number, to: number, problems: Problem[]): Token[] {
  const { text } = source;
  const out: Token[] = [];
  let at = from;
  while (at < to) {
    const char = text[at] ?? '';
    if (/\s/.test(char)) {
      at += 1;
    } else if (char === '"' || char === "'") {
      const read = readString(source, at, to, problems);
      out.push(read);
      at += read.length;
    } else {
      const token = readName(text, at, to) ?? readNumber(text, at, to) ?? readSign(text, at, to);
      if (token === undefined) {
        const fault = unexpectedSign(source, at);
        problems.push(fault);
        at += fault.place.length;
      } else {
        out.push(token);
        at += token.length;
      }
    }
  }
  out.push({ kind: 'end', text: '', offset: to, length: 0 });
  return out;
}

function unexpectedSign(source: SourceText, at: number): Problem {
  const rest = source.text.slice(at, at + 2);
  const words: Readonly<Record<string, string>> = { '&&': 'and', '||': 'or', '!': 'not' };
  const sign = words[rest] === undefined ? (rest[0] ?? '') : rest;
  const word = words[sign];
  return problem(
    'expression-sign',
    source.place(at, sign.length),
    `The sign "${sign}" has no meaning in an expression.`,
    word === undefined ? undefined : `Write "${word}" instead.`,
  );
}

function readName(text: string, at: number, to: number): Token | undefined {
  NAME.lastIndex = at;
  const found = NAME.exec(text)?.[0];
  if (found === undefined || at + found.length > to) return undefined;
  return { kind: 'name', text: found, offset: at, length: found.length };
}

function readNumber(text: string, at: number, to: number): Token | undefined {
  NUMBER.lastIndex = at;
  const found = NUMBER.exec(text)?.[0];
  if (found === undefined || at + found.length > to) return undefined;
  return { kind: 'number', text: found, value: Number(found), offset: at, length: found.length };
}

function readSign(text: string, at: number, to: number): Token | undefined {
  const sign = SIGNS.find((word) => text.startsWith(word, at) && at + word.length <= to);
  return sign === undefined ? undefined : { kind: 'sign', text: sign, offset: at, length: sign.length };
}

function readString(source: SourceText, at: number, to: number, problems: Problem[]): Token {
  const { text } = source;
  const quote = text[at];
  let value = '';
  for (let i = at + 1; i < to; i += 1) {
    const char = text[i] ?? '';
    if (char === quote) {
      return { kind: 'string', text: text.slice(at, i + 1), value, offset: at, length: i + 1 - at };
    }
    if (char === '\\' && i + 1 < to) {
      const next = text[i + 1] ?? '';
      value += ESCAPES[next] ?? `\\${next}`;
      i += 1;
    } else {
      value += char;
    }
  }
  problems.push(problem('string-open', source.place(at, to - at), 'This string is not closed.', `Add a closing ${quote}.`));
  return { kind: 'string', text: text.slice(at, to), value, offset: at, length: to - at };
}
