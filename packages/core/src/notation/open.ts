import { problem, SourceText, warning, type Problem } from '../problems/index.js';
import { parseFrontMatter } from './front-matter.js';
import { NONCHARACTER } from './hidden.js';
import type { SourceTree } from './tree.js';

/** Bytes that a source may have (4-template-notation, Bounds). */
export const MAX_SOURCE_BYTES = 256 * 1024;
// An opening mark is looked through as far as the next of its kind, so that many that are never closed cost no more than their length.
const FOREIGN = /(?<!\\)(?:\{%(?:(?!\{%)[^\n])*?%\}|<%(?:(?!<%)[^\n])*?%>|\$\{[A-Za-z_][^}$\n]*\}|\[\[[A-Za-z_][\w.]*\]\])/g;

/** A source whose body is to be read. */
export interface Opened {
  readonly source: SourceText;
  readonly problems: Problem[];
  readonly front: SourceTree['front'];
  readonly others: SourceTree['others'];
  readonly inputs: unknown;
  readonly silence: ReadonlyMap<string, string>;
  readonly bodyFrom: number;
  /** Past a bound: nothing of the body is read. */
  readonly refused: boolean;
}

/** Looks at a source before it is read: its size, its front matter, and what is of other notations. */
export function open(file: string, text: string): Opened {
  const problems: Problem[] = [];
  const source = new SourceText(file, text);
  if (new TextEncoder().encode(text).length > MAX_SOURCE_BYTES) {
    problems.push(
      problem('source-size', source.place(0), `This source is larger than ${MAX_SOURCE_BYTES / 1024} KiB.`, 'Split it into blocks.'),
    );
  }
  const odd = NONCHARACTER.exec(text);
  if (odd !== null)
    problems.push(
      problem('noncharacter', source.place(odd.index), 'This is a Unicode noncharacter, which no text may hold.', 'Delete it.'),
    );
  if (problems.length > 0)
    return {
      source,
      problems,
      front: new Map(),
      others: new Map(),
      inputs: undefined,
      silence: new Map(),
      bodyFrom: text.length,
      refused: true,
    };
  // Placeholders of other notations are plain text in this one, and readers would see them.
  for (const found of text.matchAll(FOREIGN))
    problems.push(
      warning(
        'foreign-braces',
        source.place(found.index, found[0].length),
        'This has no meaning here and is shown as it stands.',
        'Values: {{ name }}. Conditions: {{ if TEST }} … {{ end }}. Loops: ":::each NAME in LIST" … ":::".',
      ),
    );
  return { source, problems, ...parseFrontMatter(source, problems), refused: false };
}
