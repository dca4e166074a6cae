import { Comment, isTag, type ChildNode, type ParentNode } from 'domhandler';
import type { Op } from '../render/index.js';
import { offsetOf, type DomFault } from './dom.js';
import { markOf, rebuilt, type Marked } from './marked.js';

/** An "if" or "each" whose two ends are not in the same element. */
export function crossing(offset: number | undefined): DomFault {
  return {
    code: 'steering-crosses',
    message: 'An "if" or "each" begins inside of an element and ends outside of it (or the other way round).',
    hint: 'Both ends must be in the same element. In a table, put whole rows between them.',
    offset,
  };
}

/** Goes through siblings, gathering what stands between the marks of a branch or loop. */
export function steered<T>(list: readonly ChildNode[], marked: Marked, faults: DomFault[], each: (node: ChildNode) => readonly T[]): T[] {
  const stack: { index: number; bodies: T[][] }[] = [];
  const out: T[] = [];
  const body = (): T[] => stack.at(-1)?.bodies.at(-1) ?? out;
  for (const node of list) {
    const found = node instanceof Comment ? markOf(node.data) : undefined;
    if (found === undefined) {
      body().push(...each(node));
    } else if (found.kind === 'begin') {
      stack.push({ index: found.index, bodies: [[]] });
    } else if (stack.at(-1)?.index !== found.index) {
      faults.push(crossing(offsetOf(node)));
    } else if (found.kind === 'divide') {
      stack.at(-1)?.bodies.push([]);
    } else {
      const done = stack.pop();
      if (done !== undefined) body().push(rebuilt(marked.hidden[done.index], done.bodies as unknown as Op[][]) as T);
    }
  }
  if (stack.length > 0) faults.push(crossing(undefined));
  return out;
}

/** Reports branches and loops that begin in one element and end in another. */
export function checkSteering(root: ParentNode, marked: Marked, faults: DomFault[]): void {
  const waiting: ParentNode[] = [root];
  for (let node = waiting.pop(); node !== undefined; node = waiting.pop())
    steered<never>(node.children, marked, faults, (child) => {
      if (isTag(child)) waiting.push(child);
      return [];
    });
}
