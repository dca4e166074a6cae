/** The word in a pattern that stands for the name of a value. */
const NAME = /name/i;

/** Why a text is no pattern of placeholders; undefined where it is one. */
export function placeholderFault(pattern: string): string | undefined {
  const found = NAME.exec(pattern);
  if (found === null) return `"${pattern}" does not say where the name of a value is. Write "name" there, as in "%name%".`;
  const [before, after] = [pattern.slice(0, found.index), pattern.slice(found.index + found[0].length)];
  if (before.trim() === '' || after.trim() === '')
    return `"${pattern}" needs signs before and after "name", as in "%name%": else every word would be a value.`;
  if (/[\w.-]$/.test(before) || /^[\w.-]/.test(after)) return `In "${pattern}", the signs beside "name" could be part of a name.`;
  return undefined;
}

const escaped = (text: string): string => text.replace(/[$()*+.?[\\\]^{|}]/g, '\\$&');

/** Finds placeholders that are written as a pattern says; spaces around the name are allowed. The name is the first group. */
export function placeholderPattern(pattern: string): RegExp {
  const found = NAME.exec(pattern);
  const [before, after] = [pattern.slice(0, found?.index ?? 0), pattern.slice((found?.index ?? 0) + (found?.[0].length ?? 0))];
  return new RegExp(
    `${escaped(before.trimEnd())}[ \\t]{0,8}([\\p{L}_][\\p{L}\\p{N}_.-]{0,99})[ \\t]{0,8}${escaped(after.trimStart())}`,
    'gu',
  );
}
