import { parse, printParseErrorCode, type ParseError } from 'jsonc-parser';

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
  parse(text, errors, { disallowComments: true, allowTrailingComma: false });
  const [first] = errors;
  if (first === undefined) return { offset: 0, length: 1, message: 'this is no JSON' };
  const code = printParseErrorCode(first.error);
  return { offset: first.offset, length: Math.max(1, first.length), message: WORDS[code] ?? code };
}
