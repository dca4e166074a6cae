import type { Verbatim } from '../notation/index.js';
import type { Op } from '../render/index.js';
import type { Markable } from './marked.js';
import type { CompileContext } from './context.js';
import { steer, tidy } from './sides.js';
import { valueOf, type Names } from './values.js';

type Leaf = Extract<Verbatim, { kind: 'text' | 'insert' }>;

/** Markup that is taken as it stands, as operations that know where they stood. What a value becomes is decided by where it is. */
export function placedOps(nodes: readonly Verbatim[], names: Names, context: CompileContext): Markable[] {
  return steer<Leaf, Markable>(nodes, names, context, (node, scope) =>
    node.kind === 'text'
      ? [{ op: 'placed', text: node.text, offset: node.place.offset }]
      : [{ op: 'slot', expression: node.value, names: scope }],
  );
}

/** A text part that is taken as it stands, as operations. */
export function verbatimOps(nodes: readonly Verbatim[], names: Names, context: CompileContext): Op[] {
  return tidy(
    steer<Leaf, Op>(nodes, names, context, (node, scope) =>
      node.kind === 'text' ? [node.text] : [{ op: 'put', value: valueOf(node.value, scope), as: 'text' }],
    ),
  );
}
