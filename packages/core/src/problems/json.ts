import { parse, printParseErrorCode, visit, type ParseError } from 'jsonc-parser';

const WORDS: Readonly<Record<string, string>> = {
  InvalidSymbol: 'this is no JSON value',
  InvalidNumberFormat: 'this number is not well formed',
  PropertyNameExpected: 'a name in double quotes is expected here',
  ValueExpected: 'a value is expected here',
  ColonExpected: 'a colon is expected here',
  CommaExpected: 'a comma is expected here',
  CloseBraceExpected: 'a closing brace is missing',
  CloseBracketExpected: 'a closing bracket is missing',
  EndOfFileExpected: 'nothing more is expected here',
  InvalidCommentToken: 'JSON has no comments',
  UnexpectedEndOfString: 'this text is not closed',
  UnexpectedEndOfNumber: 'this number is cut off',
  InvalidEscapeCharacter: 'this escape means nothing',
  InvalidCharacter: 'this character must be escaped',
};

/** Where a text stops being JSON, and why. For a text that JSON.parse has refused. */
export function jsonFault(text: string): { readonly offset: number; readonly length: number; readonly message: string } {
  const errors: ParseError[] = [];
  try {
    parse(text, errors, { disallowComments: true, allowTrailingComma: false });
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
    return { offset: 0, length: 1, message: 'it nests too deeply to be read' };
  }
  const [first] = errors;
  if (first === undefined) return { offset: 0, length: 1, message: 'this is no JSON' };
  const code = printParseErrorCode(first.error);
  return { offset: first.offset, length: Math.max(1, first.length), message: WORDS[code] ?? code };
}

/** Levels that a JSON document of a mail folder may have. */
export const MAX_DEPTH = 64;

/** How many levels of lists and records a JSON value has. Counted without recursion, so that no value is too deep to be counted. */
export function depthOf(value: unknown): number {
  let deepest = 0;
  const left: (readonly [unknown, number])[] = [[value, 0]];
  for (let next = left.pop(); next !== undefined; next = left.pop()) {
    const [node, depth] = next;
    deepest = Math.max(deepest, depth);
    if (typeof node === 'object' && node !== null) for (const inner of Object.values(node)) left.push([inner, depth + 1]);
  }
  return deepest;
}

/** Whether a value has more levels than `most`; counted without going deeper than that. */
export function isDeeper(value: unknown, most: number): boolean {
  if (typeof value !== 'object' || value === null) return false;
  if (most === 0) return true;
  for (const inner of Object.values(value)) if (typeof inner === 'object' && inner !== null && isDeeper(inner, most - 1)) return true;
  return false;
}

/** Keys that stand twice in the same object of a JSON text: parsers keep the last one in silence. */
export function duplicateKeys(text: string): { readonly name: string; readonly offset: number; readonly length: number }[] {
  const out: { name: string; offset: number; length: number }[] = [];
  const open: Set<string>[] = [];
  visit(text, {
    onObjectBegin: () => {
      open.push(new Set());
    },
    onObjectEnd: () => {
      open.pop();
    },
    onObjectProperty: (name, offset, length) => {
      const names = open[open.length - 1];
      if (names?.has(name) === true) out.push({ name, offset, length });
      names?.add(name);
    },
  });
  return out;
}
