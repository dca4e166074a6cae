import { parseSource, parseVerbatim, type BlockModes } from '../notation/index.js';
import { hasErrors } from '../problems/index.js';
import { formatBraces, formatExpression } from './format-expression.js';

/** A line of a source with what is known of where it is. */
interface Line {
  readonly text: string;
  /** In a block of code or a comment: it stays as it is. In a block that takes text as it stands, only its braces are formatted. */
  readonly isFixed: boolean | 'but braces';
  /** The innermost block with rows or facts. */
  readonly entries: 'rows' | 'facts' | undefined;
  readonly isFront: boolean;
}

/** One thing that formatting does to the lines of a source. */
type Rule = (lines: readonly Line[]) => string[];

const DIRECTIVE = /^([ \t]*)(:::?)([A-Za-z][A-Za-z0-9-]*)(?=[ \t]|$)(.*)$/;
const EACH = /^([\p{L}_][\p{L}\p{N}_]*)(?:\s*,\s*([\p{L}_][\p{L}\p{N}_]*))?\s+in\s+/u;
const LET = /^([\p{L}_][\p{L}\p{N}_]*)\s*=\s*/u;
const FENCE = /^ {0,3}(`{3,}|~{3,})/;

const each =
  (change: (text: string, line: Line) => string): Rule =>
  (lines) =>
    lines.map((line) => (line.isFixed !== false ? line.text : change(line.text, line)));

const braces: Rule = (lines) => lines.map(({ isFixed, text }) => (isFixed === true ? text : formatBraces(text)));

/** `- a|b` is `- a | b`; `- Label:value` stays, since it is no entry. */
function formatEntry(text: string, { entries }: Line): string {
  const found = /^([ \t]*[-*=#])[ \t]+(\S.*)$/.exec(text);
  if (entries === undefined || found === null) return text;
  const [, mark = '', rest = ''] = found;
  if (entries === 'facts') return `${mark} ${rest.replace(/^((?:[^:{\\]|\\.)+):[ \t]+/, '$1: ')}`;
  return `${mark} ${cells(rest)
    .map((cell) => ` ${cell.trim()}`.trimEnd())
    .join(' |')
    .trim()}`;
}

/** `##  A  ##` is `## A`. */
function formatHeading(text: string): string {
  const mark = /^#{1,6}(?=[ \t]+\S)/.exec(text)?.[0];
  if (mark === undefined) return text;
  let words = text.slice(mark.length).trim();
  const closing = words.lastIndexOf(' ');
  if (closing !== -1 && /^#+$/.test(words.slice(closing + 1))) words = words.slice(0, closing).trimEnd();
  return `${mark} ${words}`;
}

/** The cells of a row: bars outside of braces, and not after a backslash, part them. */
function cells(text: string): string[] {
  const out = [''];
  let inside = false;
  for (let i = 0; i < text.length; i += 1) {
    const two = text.slice(i, i + 2);
    if (two === '{{' || two === '}}' || (text[i] === '\\' && !inside)) {
      if (two === '{{' || two === '}}') inside = two === '{{';
      out.push(`${out.pop() ?? ''}${two}`);
      i += 1;
    } else if (text[i] === '|' && !inside) out.push('');
    else out.push(`${out.pop() ?? ''}${text[i] ?? ''}`);
  }
  return out;
}

function formatDirective(text: string): string {
  const found = DIRECTIVE.exec(text);
  if (found === null) return /^[ \t]*:::[ \t]+$/.test(text) ? text.trimEnd() : text;
  const [, indent = '', colons = '', name = '', rest = ''] = found;
  const written = rest.trim();
  const head = `${indent}${colons}${name}`;
  if (written === '') return head;
  if (name === 'if' || name === 'else-if') return `${head} ${formatExpression(written).trim()}`;
  const header = name === 'each' ? EACH.exec(written) : name === 'let' ? LET.exec(written) : null;
  if (header !== null) {
    const [whole, first = '', second] = header;
    const names = second === undefined ? first : `${first}, ${second}`;
    return `${head} ${names} ${name === 'each' ? 'in' : '='} ${formatExpression(written.slice(whole.length)).trim()}`;
  }
  return `${head} ${words(written).join(' ')}`;
}

/** The words of a line of arguments: spaces outside of quotes and braces part them. */
function words(text: string): string[] {
  const out: string[] = [];
  let word = '';
  let quote = '';
  let inside = false;
  for (let i = 0; i < text.length; i += 1) {
    const char = text[i] ?? '';
    const two = text.slice(i, i + 2);
    if (two === '{{' || two === '}}') {
      inside = two === '{{';
      word += two;
      i += 1;
      continue;
    }
    if (!inside && quote === '' && /\s/.test(char)) {
      if (word !== '') out.push(word);
      word = '';
      continue;
    }
    if (!inside && quote !== '' && char === quote) quote = '';
    else if (!inside && quote === '' && (char === '"' || char === "'")) quote = char;
    word += char;
  }
  return word === '' ? out : [...out, word];
}

/** Empty lines: one where there were several, none at the beginning and the end of the body. */
const fewerEmptyLines: Rule = (lines) => {
  const out: string[] = [];
  lines.forEach(({ text, isFixed }, i) => {
    const isDouble = text.trim() === '' && isFixed === false && lines[i - 1]?.text.trim() === '' && lines[i - 1]?.isFixed === false;
    if (!isDouble) out.push(text);
  });
  while (out.length > 0 && out.at(-1)?.trim() === '') out.pop();
  return out;
};

/** What formatting does, each for itself: what would change the program is left out. */
const RULES: readonly Rule[] = [
  // Two spaces at the end of a line of prose are a line break.
  each((text) => (/\S {2,}$/.test(text) ? `${text.trimEnd()}  ` : text.trimEnd())),
  each((text) => text.trimEnd()),
  braces,
  each((text, { isFront }) => (isFront ? text : formatDirective(text))),
  each((text, line) => (line.isFront ? text : formatEntry(text, line))),
  each((text, { isFront }) => (isFront ? text.replace(/^([A-Za-z]+):[ \t]{2,}(?=\S)/, '$1: ') : text)),
  each((text, { isFront, entries }) => (isFront || entries !== undefined ? text : text.replace(/^([ \t]*)[-*+] {1,4}(?=\S)/, '$1- '))),
  each((text, { isFront, entries }) => (isFront || entries !== undefined ? text : formatHeading(text))),
  fewerEmptyLines,
];

/** In text that is taken as it stands, only what has a meaning is formatted. */
const VERBATIM_RULES: readonly Rule[] = [
  braces,
  each((text) => (/^[ \t]*:::?(?:if|else-if|each|let)\b/.test(text) ? formatDirective(text) : text)),
];

/**
 * A source as it is usually written: one space between words of expressions and arguments, no spaces at the ends of lines, no double empty lines.
 * What it compiles to is the same: what would change that is left as it is, and so is a source that cannot be read.
 * @param path of the source in its folder: message.html and message.txt are taken as they stand
 */
export function formatSource(path: string, text: string, modes: BlockModes): string {
  const isMarkdown = path.endsWith('.md');
  /** Undefined for a source that is not sound. */
  const read = (source: string): string | undefined => {
    const { tree, problems } = isMarkdown ? parseSource(path, source, modes) : parseVerbatim(path, source, modes);
    return hasErrors(problems) ? undefined : JSON.stringify([problems.map(({ code }) => code), bare(tree)]);
  };
  const unixed = text.replace(/^\uFEFF/, '').replaceAll('\r\n', '\n');
  const wanted = read(text);
  if (wanted === undefined) return text;
  let out = read(unixed) === wanted ? unixed : text;
  for (const rule of isMarkdown ? RULES : VERBATIM_RULES) {
    const next = `${rule(linesOf(out, modes, isMarkdown)).join('\n')}${out.endsWith('\n') || isMarkdown ? '\n' : ''}`;
    if (next !== out && read(next) === wanted) out = next;
  }
  return out;
}

const PLACES = new Set(['place', 'namePlace', 'keyPlace', 'column']);

/** A tree without its places, which formatting moves. */
function bare(node: unknown): unknown {
  if (node instanceof Map) return [...node].map(([key, value]): unknown => [key, bare(value)]);
  if (Array.isArray(node)) return node.map(bare);
  if (typeof node !== 'object' || node === null) return node;
  return Object.fromEntries(
    Object.entries(node)
      .filter(([key]) => !PLACES.has(key))
      .map(([key, value]) => [key, bare(value)]),
  );
}

/** The lines of a source, each with what contains it. */
function linesOf(text: string, modes: BlockModes, isMarkdown: boolean): Line[] {
  const texts = (text.endsWith('\n') ? text.slice(0, -1) : text).split('\n');
  const frontEnd = /^---[ \t]*$/.test(texts[0] ?? '') ? texts.findIndex((line, i) => i > 0 && /^---[ \t]*$/.test(line)) : -1;
  const open: string[] = [];
  let fence = '';
  let comment = '';
  return texts.map((line, i): Line => {
    const isFront = i <= frontEnd;
    const mode = [...open]
      .reverse()
      .map((name) => modes.get(name))
      .find((found) => found !== undefined);
    const entries = mode === 'rows' || mode === 'facts' ? mode : undefined;
    const fixed = (): Line => ({ text: line, isFixed: true, entries, isFront });
    if (!isMarkdown || isFront) return { text: line, isFixed: false, entries: undefined, isFront };
    if (comment !== '') {
      if (line.includes(comment)) comment = '';
      return fixed();
    }
    if (fence !== '') {
      if (line.trim().startsWith(fence)) fence = '';
      return fixed();
    }
    const isRaw = mode === 'raw';
    fence = isRaw ? '' : (FENCE.exec(line)?.[1] ?? '');
    if (fence !== '') return fixed();
    const opening = /\{\{#(?:\s|$)(?!.*\}\})/.test(line) ? '}}' : /<!--(?!.*-->)/.test(line) && !isRaw ? '-->' : '';
    if (opening !== '') {
      comment = opening;
      return fixed();
    }
    const directive = /^[ \t]*:::([A-Za-z][A-Za-z0-9-]*)?(?=[ \t]|$)/.exec(line);
    if (directive !== null && !/^[ \t]*:::(?:else|else-if|empty)\b/.test(line)) {
      if (directive[1] === undefined) open.pop();
      else if (!isRaw) open.push(directive[1]);
      return { text: line, isFixed: false, entries: undefined, isFront };
    }
    return { text: line, isFixed: isRaw ? 'but braces' : false, entries, isFront };
  });
}
