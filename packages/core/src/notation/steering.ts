import { problem, type Place, type Problem } from '../problems/index.js';
import type { Insertion } from './expression.js';
import type { Branches, Inline } from './tree.js';

type Word = Extract<Insertion, { kind: 'if' | 'else-if' | 'else' | 'each' | 'between' | 'empty' | 'end' }>;
type Opener = Extract<Word, { kind: 'if' | 'each' }>;

function isWord(piece: Inline | Insertion): piece is Word {
  switch (piece.kind) {
    case 'else':
    case 'else-if':
    case 'between':
    case 'empty':
    case 'end':
      return true;
    case 'if':
      return 'test' in piece;
    case 'each':
      return !('body' in piece);
    case 'break':
    case 'code':
    case 'comment':
    case 'emphasis':
    case 'insert':
    case 'let':
    case 'link':
    case 'picture':
    case 'strong':
    case 'struck':
    case 'text':
    case 'value':
      return false;
  }
}

interface SteeringInput {
  readonly problems: Problem[];
  /** Levels that `{{ if }}` and `{{ each }}` may nest. */
  readonly maxDepth: number;
}

/** Groups `{{ if }} … {{ else }} … {{ end }}` and `{{ each }} … {{ between }} … {{ empty }} … {{ end }}` among siblings. */
export function steered(pieces: readonly (Inline | Insertion)[], input: SteeringInput): Inline[] {
  if (!pieces.some((piece) => isWord(piece))) return pieces as Inline[];
  const groups = new Groups(input);
  for (const piece of pieces) {
    if (isWord(piece)) groups.steer(piece);
    else groups.add(piece as Inline);
  }
  return groups.close();
}

/** A part of a group: a branch of `if`, or the body of `each` and what divides it. */
interface Part {
  readonly word: Word['kind'];
  readonly test: Branches<Inline>['branches'][number]['test'];
  readonly body: Inline[];
  readonly place: Place;
}

interface OpenGroup {
  readonly opener: Opener;
  readonly parts: Part[];
}

/** Words that divide each kind of group. */
const DIVIDES: Readonly<Record<Opener['kind'], readonly Word['kind'][]>> = { if: ['else', 'else-if'], each: ['between', 'empty', 'else'] };

class Groups {
  readonly #out: Inline[] = [];
  readonly #open: OpenGroup[] = [];
  /** Groups past the bound, which are passed over. */
  #lost = 0;

  constructor(private readonly input: SteeringInput) {}

  add(piece: Inline): void {
    (this.#open.at(-1)?.parts.at(-1)?.body ?? this.#out).push(piece);
  }

  steer(piece: Word): void {
    const { problems, maxDepth } = this.input;
    const opens = piece.kind === 'if' || piece.kind === 'each';
    if (opens && this.#open.length >= maxDepth) {
      if (this.#lost === 0)
        problems.push(
          problem('nesting', piece.place, `"{{ ${piece.kind} }}" nests deeper than ${maxDepth} levels here.`, 'Take a level out.'),
        );
      this.#lost += 1;
    } else if (this.#lost > 0) {
      if (opens) this.#lost += 1;
      if (piece.kind === 'end') this.#lost -= 1;
    } else if (opens) {
      const test = piece.kind === 'if' ? piece.test : undefined;
      this.#open.push({ opener: piece, parts: [{ word: piece.kind, test, body: [], place: piece.place }] });
    } else this.#go(piece);
  }

  /** On to the next part, or out of the group. */
  #go(piece: Exclude<Word, Opener>): void {
    const innermost = this.#open.at(-1);
    if (innermost === undefined) {
      const opener = piece.kind === 'between' || piece.kind === 'empty' ? 'each … in …' : 'if …';
      this.#report(
        'steering-alone',
        piece,
        `"{{ ${piece.kind} }}" has no "{{ ${opener} }}" before it in the same run of text.`,
        `Both must be in the same paragraph, and both inside or both outside of emphasis or a link. Across paragraphs use ":::if" and ":::each".`,
      );
    } else if (piece.kind === 'end') {
      this.#open.pop();
      this.add(closed(innermost));
    } else this.#divide(innermost, piece);
  }

  #divide({ opener, parts }: OpenGroup, piece: Exclude<Word, Opener | { kind: 'end' }>): void {
    const last = parts.at(-1)?.word;
    if (!DIVIDES[opener.kind].includes(piece.kind)) {
      const hint =
        opener.kind === 'each'
          ? 'A loop is divided by {{ between }} and {{ empty }}.'
          : 'A condition is divided by {{ else }} and {{ else if … }}.';
      this.#report('steering-alone', piece, `"{{ ${piece.kind} }}" cannot divide "{{ ${opener.kind} }}".`, hint);
    } else if (last === 'else' || last === 'empty') {
      this.#report('else-last', piece, `Nothing can follow "{{ ${last} }}" but "{{ end }}".`);
    } else if (piece.kind === 'between' && last === 'between') {
      this.#report('else-last', piece, '"{{ between }}" is given twice.');
    } else parts.push({ word: piece.kind, test: piece.kind === 'else-if' ? piece.test : undefined, body: [], place: piece.place });
  }

  #report(code: string, { place }: Word, message: string, hint?: string): void {
    this.input.problems.push(problem(code, place, message, hint));
  }

  /** Everything grouped; what is still open is reported and kept. */
  close(): Inline[] {
    for (const group of this.#open) {
      const { kind } = group.opener;
      this.#report(
        'if-open',
        group.opener,
        `This "{{ ${kind} }}" has no "{{ end }}" in the same run of text.`,
        `Across paragraphs use ":::${kind}" … ":::".`,
      );
      this.#out.push(closed(group));
    }
    return this.#out;
  }
}

function closed({ opener, parts }: OpenGroup): Inline {
  const { place } = opener;
  if (opener.kind === 'if') return { kind: 'if', branches: parts.map(({ test, body, place: at }) => ({ test, body, place: at })), place };
  const of = (word: Word['kind']): readonly Inline[] => parts.find((part) => part.word === word)?.body ?? [];
  const { name, second, list } = opener;
  return { kind: 'each', name, second, list, body: of('each'), between: of('between'), otherwise: [...of('empty'), ...of('else')], place };
}
