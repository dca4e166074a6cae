import { RE2JS } from 're2js';

/** A regular expression of a schema. */
export interface Pattern {
  readonly test: (text: string) => boolean;
  /** Tells patterns apart. */
  readonly toString: () => string;
}

/** Thrown for what no engine in linear time can run: look-around and back-references, or no regular expression at all. */
class PatternFault extends Error {
  override name = 'PatternFault';
}

/**
 * Compiles a regular expression of a data schema for an engine that takes time in proportion to the text: no pattern can make it backtrack.
 * @throws PatternFault
 */
export function compilePattern(source: string): Pattern {
  let compiled: RE2JS;
  try {
    compiled = RE2JS.compile(RE2JS.translateRegExp(source));
  } catch (error) {
    const why = /\(\?[=!<]|\\[1-9]/.test(source)
      ? 'look-ahead, look-behind and back-references are not allowed, since they can take for ever'
      : error instanceof Error
        ? error.message
        : String(error);
    throw new PatternFault(`The pattern ${JSON.stringify(source)} cannot be used: ${why}.`);
  }
  return { test: (text) => compiled.matcher(text).find(), toString: () => `linear:${source}` };
}
