import type { ContentMode } from '../notation/index.js';

/** One argument of a block. `choice` takes one of `choices`, written out; the others may hold `{{ }}`. */
export interface BlockArgument {
  readonly name: string;
  readonly kind: 'text' | 'url' | 'number' | 'choice';
  readonly choices?: readonly string[];
  readonly required?: boolean;
  readonly summary: string;
}

/** What the compiler must know of a block to check its uses. */
export interface BlockSignature {
  readonly name: string;
  /** The value that stands without a name. */
  readonly first?: BlockArgument;
  readonly args: readonly BlockArgument[];
  readonly content: ContentMode;
}
