import type { Verbatim } from '../notation/index.js';
import type { Escape, Op } from '../render/index.js';
import type { Markable } from './marked.js';
import { steer, tidy, type CompileContext } from './sides.js';
import { valueOf, type Names } from './values.js';

type Leaf = Extract<Verbatim, { kind: 'text' | 'insert' }>;

/** A source that is taken as it stands, as operations that know where they stood. */
export function placedOps(nodes: readonly Verbatim[], names: Names, context: CompileContext, as: Escape): Markable[] {
  return steer<Leaf, Markable>(nodes, names, context, (node, scope) =>
    node.kind === 'text'
      ? [{ op: 'placed', text: node.text, offset: node.place.offset }]
      : [{ op: 'put', value: valueOf(node.value, scope), as }],
  );
}

/** A source that is taken as it stands, as operations. */
export function verbatimOps(nodes: readonly Verbatim[], names: Names, context: CompileContext, as: Escape): Op[] {
  return tidy(
    steer<Leaf, Op>(nodes, names, context, (node, scope) =>
      node.kind === 'text' ? [node.text] : [{ op: 'put', value: valueOf(node.value, scope), as }],
    ),
  );
}
