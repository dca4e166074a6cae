import type { PhrasingContent } from 'mdast';
import type { Insertion } from './expression.js';
import type { Inline } from './tree.js';

/** After a link: whether it is tracked with its topic. */
const MARK = /^\{track=(yes|no)\}/;

type Wish = 'yes' | 'no';

const isLink = (node: PhrasingContent | undefined): boolean => node?.type === 'link' || node?.type === 'linkReference';

/** Takes the marks after links out of the text that follows them: `[Sign in](https://…){track=no}`. */
export function linkMarks(nodes: readonly PhrasingContent[]): {
  readonly bare: readonly PhrasingContent[];
  readonly marks: ReadonlyMap<PhrasingContent, Wish>;
} {
  const marks = new Map<PhrasingContent, Wish>();
  const bare = nodes.map((node, i): PhrasingContent => {
    const before = nodes[i - 1];
    const mark = node.type === 'text' && isLink(before) ? MARK.exec(node.value) : null;
    if (node.type !== 'text' || before === undefined || mark === null) return node;
    marks.set(before, mark[1] === 'yes' ? 'yes' : 'no');
    return { ...node, value: node.value.slice(mark[0].length) };
  });
  return { bare, marks };
}

export function withMark(made: (Inline | Insertion)[], track: Wish | undefined): (Inline | Insertion)[] {
  return track === undefined ? made : made.map((inline) => (inline.kind === 'link' ? { ...inline, track } : inline));
}
