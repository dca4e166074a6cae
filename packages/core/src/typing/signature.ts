import type { ContentMode } from '../notation/index.js';
import type { Type } from './type.js';

/** One argument of a block. `choice` takes one of `choices`, written out; the others may hold `{{ }}`. */
export interface BlockArgument {
  readonly name: string;
  /** `value`: an input of a block of one's own, which takes what its `type` says. */
  readonly kind: 'text' | 'url' | 'number' | 'choice' | 'value';
  readonly type?: Type;
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
  /** Names of its places for content, beside the main one. */
  readonly slots?: readonly string[];
}
