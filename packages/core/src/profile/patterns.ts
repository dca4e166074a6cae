import { RE2JS } from 're2js';

/** A pattern of a profile, by an engine that takes time in proportion to the text (RE2 syntax). It ignores case. */
export interface CompiledPattern {
  readonly test: (text: string) => boolean;
  /** What its first group holds, or all of it where it has none. */
  readonly find: (text: string) => string | undefined;
}

/** @returns why it cannot be compiled, as the end of a sentence, where it cannot */
export function compileProfilePattern(source: string): CompiledPattern | string {
  let compiled: RE2JS;
  try {
    compiled = RE2JS.compile(RE2JS.translateRegExp(source), RE2JS.CASE_INSENSITIVE);
  } catch (error) {
    const why = /\(\?[=!<]|\\[1-9]/.test(source)
      ? 'look-ahead, look-behind and back-references are not supported'
      : error instanceof Error
        ? error.message
        : String(error);
    return `is not a valid pattern: ${why}.`;
  }
  return {
    test: (text) => compiled.matcher(text).find(),
    find: (text) => {
      const matcher = compiled.matcher(text);
      if (!matcher.find()) return undefined;
      return (matcher.groupCount() > 0 ? matcher.group(1) : matcher.group(0)) ?? undefined;
    },
  };
}
