import { test } from '@jest/globals';
import { needs } from './browser.js';

interface Clause {
  /** Independent programs that take part, as people call them. */
  readonly against?: readonly string[];
  /** Their files; where one is missing the test cannot run. */
  readonly needs?: readonly string[];
}

/**
 * A test of a clause of a standard. Its title is a row of docs/conformance.md, which is made of what ran (scripts/conformance.mjs).
 * @param rfc "RFC 5321 4.5.2"
 */
export function clause(rfc: string, what: string, { against = [], needs: files = [] }: Clause, run: () => Promise<void>): void {
  const title = `${rfc}: ${what}${against.length === 0 ? '' : ` [${against.join(', ')}]`}`;
  (files.length === 0 ? test : needs(...files))(title, run);
}
