import type { EachOp, IfOp, Op, Value } from '../render/index.js';

// To be styled, a mail must be a document: operations are hidden in it behind noncharacters (as insertions are from the Markdown parser),
// branches and loops behind comments, which may stand anywhere in a document, between table rows too.
const OPEN = '\uFDD0';
const CLOSE = '\uFDD1';
const HIDDEN = /\uFDD0(\d+)\uFDD1/g;

type Steering = IfOp<Op> | EachOp<Op>;

/** Operations as text with hidden places, and what is hidden. */
export interface Marked {
  readonly html: string;
  readonly hidden: readonly Op[];
}

/** What a comment of ours says: where a branch or loop begins, is divided, ends. */
export interface Mark {
  readonly kind: 'begin' | 'divide' | 'end';
  readonly index: number;
}

export function mark(ops: readonly Op[]): Marked {
  const hidden: Op[] = [];
  const write = (list: readonly Op[]): string =>
    list
      .map((op): string => {
        if (typeof op === 'string') return op;
        const index = hidden.push(op) - 1;
        if (op.op !== 'if' && op.op !== 'each') return `${OPEN}${index}${CLOSE}`;
        const bodies = op.op === 'if' ? op.branches.map((one) => one.body) : [op.body, op.otherwise];
        return `<!--${OPEN}begin${index}-->${bodies.map(write).join(`<!--${OPEN}divide${index}-->`)}<!--${OPEN}end${index}-->`;
      })
      .join('');
  return { html: write(ops), hidden };
}

export function markOf(comment: string): Mark | undefined {
  const found = /^\uFDD0(begin|divide|end)(\d+)$/.exec(comment);
  return found === null ? undefined : { kind: found[1] as Mark['kind'], index: Number(found[2]) };
}

/** Text that may hold hidden operations, cut at them; `text` treats what is fixed. */
export function reveal(text: string, hidden: readonly Op[], treat: (text: string) => string): Op[] {
  const out: Op[] = [];
  let last = 0;
  for (const found of text.matchAll(HIDDEN)) {
    if (found.index > last) out.push(treat(text.slice(last, found.index)));
    const op = hidden[Number(found[1])];
    if (op !== undefined) out.push(op);
    last = found.index + found[0].length;
  }
  if (last < text.length) out.push(treat(text.slice(last)));
  return out;
}

/** An attribute value that is an address: its pieces raw, to be checked and escaped as a whole. */
export function addressParts(text: string, hidden: readonly Op[]): (string | Value)[] {
  return reveal(text, hidden, (fixedText) => fixedText).flatMap((op): (string | Value)[] => {
    if (typeof op === 'string') return [op];
    if (op.op === 'put') return [op.value];
    return op.op === 'address' || op.op === 'note' ? [...op.parts] : [];
  });
}

/** The branches or loop that a mark stands for, around new bodies. */
export function rebuilt(op: Op | undefined, bodies: readonly (readonly Op[])[]): Op {
  const steering = op as Steering;
  if (steering.op === 'if') return { op: 'if', branches: steering.branches.map((one, i) => ({ test: one.test, body: bodies[i] ?? [] })) };
  return { ...steering, body: bodies[0] ?? [], otherwise: bodies[1] ?? [] };
}
