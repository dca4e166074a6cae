import type { Place, SourceText } from '../problems/index.js';
import type { EachOp, IfOp, Op, Value } from '../render/index.js';

// To be styled, a mail must be a document: operations are hidden in it behind noncharacters (as insertions are from the Markdown parser),
// branches and loops behind comments, which may stand anywhere in a document, between table rows too.
const OPEN = '\uFDD0';
const CLOSE = '\uFDD1';
const HIDDEN = /\uFDD0(\d+)\uFDD1/g;

type Steering = IfOp<Op> | EachOp<Op>;

/** Fixed text that still knows where in the source it stood. */
export interface PlacedText {
  readonly op: 'placed';
  readonly text: string;
  readonly offset: number;
}
/** Operations before they are marked. */
export type Markable = Op | PlacedText | IfOp<Markable> | EachOp<Markable>;

/** Operations as text with hidden places, and what is hidden. */
export interface Marked {
  readonly html: string;
  readonly hidden: readonly Op[];
  /** Where the text from an offset on stood in the source, in order. */
  readonly origins: readonly { readonly at: number; readonly offset: number }[];
}

/** What a comment of ours says: where a branch or loop begins, is divided, ends. */
export interface Mark {
  readonly kind: 'begin' | 'divide' | 'end';
  readonly index: number;
}

export function mark(ops: readonly Markable[]): Marked {
  const hidden: Op[] = [];
  const origins: { at: number; offset: number }[] = [];
  let html = '';
  const write = (op: Markable): void => {
    if (typeof op === 'string') html += op;
    else if (op.op === 'placed') {
      origins.push({ at: html.length, offset: op.offset });
      html += op.text;
    } else {
      // A branch or loop is hidden for its test or list; its bodies stand in the text and are put back from there.
      const index = hidden.push(op as Op) - 1;
      if (op.op !== 'if' && op.op !== 'each') html += `${OPEN}${index}${CLOSE}`;
      else {
        const bodies = op.op === 'if' ? op.branches.map((one) => one.body) : [op.body, op.otherwise];
        bodies.forEach((body, i) => {
          html += `<!--${OPEN}${i === 0 ? 'begin' : 'divide'}${index}-->`;
          body.forEach(write);
        });
        html += `<!--${OPEN}end${index}-->`;
      }
    }
  };
  ops.forEach(write);
  return { html, hidden, origins };
}

/** The place in the source of an offset in the marked text; the top of the file where it is not known. */
export function originOf(marked: Marked, source: SourceText, at: number | undefined, length = 1): Place {
  const origin = at === undefined ? undefined : marked.origins.findLast((one) => one.at <= at);
  return origin === undefined || at === undefined ? source.place(0, 0) : source.place(origin.offset + at - origin.at, length);
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
