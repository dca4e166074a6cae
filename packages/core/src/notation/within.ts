import type { Steering } from './tree.js';

/** Everything that a branch, a loop or a local name holds, in the order in which it is written. */
export function within<T>(node: Steering<T>): readonly T[] {
  switch (node.kind) {
    case 'if':
      return node.branches.flatMap((branch) => branch.body);
    case 'each':
      return [...node.body, ...node.between, ...node.otherwise];
    case 'let':
      return node.body;
  }
}
