import { FRONT_KEYS } from '../notation/index.js';

/** What stands at a place that is being typed at. All offsets are in the text. */
export type Cursor =
  /** In an expression that begins at `from`; `braces`: between `{{` and `}}`, where words that steer have a meaning. */
  | { readonly kind: 'expression'; readonly from: number; readonly braces: boolean }
  /** In the name of a block, whose colons begin at `from`. */
  | { readonly kind: 'block'; readonly from: number; readonly colons: '::' | ':::' }
  /** Among the arguments of a block; `written`: what stands before the word that is typed. */
  | { readonly kind: 'argument'; readonly block: string; readonly written: string; readonly from: number }
  /** In the value of an argument (`name` undefined: the first one), which begins at `from`. */
  | { readonly kind: 'argument-value'; readonly block: string; readonly name: string | undefined; readonly from: number }
  | { readonly kind: 'front-key'; readonly from: number }
  | { readonly kind: 'front-value'; readonly key: string; readonly from: number }
  | { readonly kind: 'text' };

/** How far back the braces of an expression are looked for. */
const REACH = 4000;
const DIRECTIVE = /^([ \t]*)(:::?)([A-Za-z][A-Za-z0-9-]*)?/;

/** Finds out what stands at an offset by the text before it, so that it also works while the text is not finished. */
export function cursorAt(text: string, offset: number): Cursor {
  const open = openBraces(text, offset);
  if (open !== undefined) return { kind: 'expression', from: open + 2, braces: true };
  const lineFrom = text.lastIndexOf('\n', offset - 1) + 1;
  const line = text.slice(lineFrom, offset);
  if (isInFront(text, offset)) return frontCursor(line, lineFrom);
  const found = DIRECTIVE.exec(line);
  if (found === null) return { kind: 'text' };
  const [whole, indent = '', colons = '', name = ''] = found;
  const after = line.slice(whole.length);
  if (after === '') return { kind: 'block', from: lineFrom + indent.length, colons: colons === '::' ? '::' : ':::' };
  if (!/^[ \t]/.test(after)) return { kind: 'text' };
  return directiveCursor(name, after, lineFrom + whole.length);
}

function directiveCursor(name: string, after: string, at: number): Cursor {
  if (name === 'if' || name === 'else-if') return { kind: 'expression', from: at, braces: false };
  if (name === 'each' || name === 'let') {
    const header = (name === 'each' ? /^[^]*?[ \t]in[ \t]+/ : /^[^=]*=[ \t]*/).exec(after)?.[0];
    return header === undefined ? { kind: 'text' } : { kind: 'expression', from: at + header.length, braces: false };
  }
  return argumentCursor(name, after, at);
}

/** The argument that is being typed. Spaces outside of quotes and braces separate arguments. */
function argumentCursor(block: string, after: string, at: number): Cursor {
  let start = 0;
  let quote = '';
  for (let i = 0; i < after.length; i += 1) {
    const char = after[i] ?? '';
    if (quote !== '') {
      if (char === quote) quote = '';
    } else if (char === '"' || char === "'") quote = char;
    else if (/\s/.test(char)) start = i + 1;
  }
  const word = after.slice(start);
  const named = /^([A-Za-z][A-Za-z0-9_-]*)=(["']?)/.exec(word);
  if (named !== null) return { kind: 'argument-value', block, name: named[1], from: at + start + named[0].length };
  if (/^["']/.test(word)) return { kind: 'argument-value', block, name: undefined, from: at + start + 1 };
  return { kind: 'argument', block, written: after.slice(0, start), from: at + start };
}

function frontCursor(line: string, lineFrom: number): Cursor {
  if (/^[A-Za-z]*$/.test(line)) return { kind: 'front-key', from: lineFrom };
  const found = /^([A-Za-z]+):[ \t]*["']?/.exec(line);
  const [whole = '', key = ''] = found ?? [];
  return (FRONT_KEYS as readonly string[]).includes(key) ? { kind: 'front-value', key, from: lineFrom + whole.length } : { kind: 'text' };
}

function isInFront(text: string, offset: number): boolean {
  const opening = /^---[ \t]*\r?\n/.exec(text)?.[0];
  if (opening === undefined || offset < opening.length) return false;
  return !/^---[ \t]*\r?$/m.test(text.slice(opening.length, text.lastIndexOf('\n', offset - 1) + 1));
}

/** Where the braces that are open at an offset begin; undefined where none are. */
function openBraces(text: string, offset: number): number | undefined {
  // What is open does not reach over an empty line.
  const least = Math.max(0, offset - REACH, text.lastIndexOf('\n\n', offset - 1));
  let open: number | undefined;
  let quote = '';
  for (let i = least; i < offset; i += 1) {
    const char = text[i] ?? '';
    if (open !== undefined && quote !== '') {
      if (char === '\\') i += 1;
      else if (char === quote) quote = '';
    } else if (open !== undefined && (char === '"' || char === "'")) quote = char;
    else if (text.startsWith('{{{{', i) || (char === '\\' && text.startsWith('{{', i + 1))) i += char === '\\' ? 2 : 3;
    else if (text.startsWith('{{', i) && i + 2 <= offset) {
      open = i;
      i += 1;
    } else if (text.startsWith('}}', i) && i + 2 <= offset) {
      open = undefined;
      i += 1;
    }
  }
  return open;
}
