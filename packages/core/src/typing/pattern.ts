import { RE2JS } from 're2js';
import { Fault } from '../problems/index.js';

/** A regular expression of a schema. */
export interface Pattern {
  readonly test: (text: string) => boolean;
  /** Tells patterns apart. */
  readonly toString: () => string;
}

/**
 * Compiles a regular expression of a data schema for an engine that takes time in proportion to the text: no pattern can make it backtrack.
 * @throws Fault
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
    throw new Fault('pattern', `The pattern ${JSON.stringify(source)} cannot be used: ${why}.`);
  }
  return { test: (text) => compiled.matcher(text).find(), toString: () => `linear:${source}` };
}
