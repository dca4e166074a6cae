import { problem, type Place, type Problem } from '../problems/index.js';
import type { Insertion } from './expression.js';
import type { Branches, Inline } from './tree.js';

type Steering = Extract<Insertion, { kind: 'if' | 'else-if' | 'else' | 'end' }>;

function isSteering(piece: Inline | Insertion): piece is Steering {
  return piece.kind === 'else' || piece.kind === 'else-if' || piece.kind === 'end' || (piece.kind === 'if' && 'test' in piece);
}

interface SteeringInput {
  readonly problems: Problem[];
  /** Levels that `{{ if }}` may nest. */
  readonly maxDepth: number;
}

/** Groups `{{ if }} … {{ else }} … {{ end }}` among siblings into branches. */
export function steered(pieces: readonly (Inline | Insertion)[], input: SteeringInput): Inline[] {
  if (!pieces.some((piece) => isSteering(piece))) return pieces as Inline[];
  const groups = new Groups(input);
  for (const piece of pieces) {
    if (isSteering(piece)) groups.steer(piece);
    else groups.add(piece as Inline);
  }
  return groups.close();
}

interface OpenGroup {
  readonly place: Place;
  readonly branches: { readonly test: Branches<Inline>['branches'][number]['test']; readonly body: Inline[]; readonly place: Place }[];
  /** After `{{ else }}`. */
  isLast: boolean;
}

class Groups {
  readonly #out: Inline[] = [];
  readonly #open: OpenGroup[] = [];
  /** Branches past the bound, which are passed over. */
  #lost = 0;

  constructor(private readonly input: SteeringInput) {}

  add(piece: Inline): void {
    const branches = this.#open.at(-1)?.branches;
    (branches?.at(-1)?.body ?? this.#out).push(piece);
  }

  steer(piece: Steering): void {
    const { problems, maxDepth } = this.input;
    if (piece.kind === 'if' && this.#open.length >= maxDepth) {
      if (this.#lost === 0)
        problems.push(problem('nesting', piece.place, `"{{ if }}" nests deeper than ${maxDepth} levels here.`, 'Take a level out.'));
      this.#lost += 1;
    } else if (this.#lost > 0) {
      if (piece.kind === 'end') this.#lost -= 1;
    } else if (piece.kind === 'if') {
      this.#open.push({ place: piece.place, branches: [{ test: piece.test, body: [], place: piece.place }], isLast: false });
    } else this.#go(piece);
  }

  /** On to the next branch, or out of the group. */
  #go(piece: Exclude<Steering, { kind: 'if' }>): void {
    const { problems } = this.input;
    const innermost = this.#open.at(-1);
    if (innermost === undefined) {
      problems.push(
        problem(
          'steering-alone',
          piece.place,
          `"{{ ${piece.kind} }}" has no "{{ if … }}" before it in the same run of text.`,
          'Both must stand in the same paragraph, and both inside or both outside of emphasis or a link. Across paragraphs use ":::if".',
        ),
      );
    } else if (piece.kind === 'end') {
      this.#open.pop();
      this.add({ kind: 'if', branches: innermost.branches, place: innermost.place });
    } else if (innermost.isLast) {
      problems.push(problem('else-last', piece.place, 'Nothing can follow "{{ else }}" but "{{ end }}".'));
    } else {
      innermost.isLast = piece.kind === 'else';
      innermost.branches.push({ test: piece.kind === 'else-if' ? piece.test : undefined, body: [], place: piece.place });
    }
  }

  /** Everything grouped; what is still open is told and kept. */
  close(): Inline[] {
    for (const { place, branches } of this.#open) {
      this.input.problems.push(
        problem('if-open', place, 'This "{{ if }}" has no "{{ end }}" in the same run of text.', 'Across paragraphs use ":::if" … ":::".'),
      );
      this.#out.push({ kind: 'if', branches, place });
    }
    return this.#out;
  }
}
