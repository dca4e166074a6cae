import type { Place, SourceText } from '../problems/index.js';
import { bodiesOf, isSteer, resteered, type EachOp, type IfOp, type LetOp, type Op, type Steer } from '../render/index.js';
import type { Slot } from './address.js';

// To be styled, an email must be a document: operations are hidden in it behind noncharacters (as insertions are from the Markdown parser),
// branches and loops behind comments, which may stand anywhere in a document, between table rows too.
const OPEN = '\uFDD0';
const CLOSE = '\uFDD1';
const HIDDEN = /\uFDD0(\d+)\uFDD1/g;

/** Fixed text that still knows where in the source it stood. */
export interface PlacedText {
  readonly op: 'placed';
  readonly text: string;
  readonly offset: number;
}
/** A value whose treatment depends on where in the markup it turns out to stand. */
export type SlotOp = Slot & { readonly op: 'slot' };
/** Attributes of a tag that stand under a condition. */
export interface AttributesOp {
  readonly op: 'attributes';
  readonly steer: Steer<Op>;
}
/** Operations before they are marked. */
export type Markable = Op | PlacedText | SlotOp | AttributesOp | IfOp<Markable> | EachOp<Markable> | LetOp;
export type Hidden = Op | SlotOp;

/** Operations as text with hidden places, and what is hidden. */
export interface Marked {
  readonly html: string;
  readonly hidden: readonly Hidden[];
  /** Where the text from an offset on stood in the source, in order. */
  readonly origins: readonly { readonly at: number; readonly offset: number }[];
}

/** The meaning of our comments: where a branch or loop begins, is divided, ends. */
export interface Mark {
  readonly kind: 'begin' | 'divide' | 'end';
  readonly index: number;
}

export function mark(ops: readonly Markable[]): Marked {
  const hidden: Hidden[] = [];
  const origins: { at: number; offset: number }[] = [];
  let html = '';
  const write = (op: Markable): void => {
    if (typeof op === 'string') html += op;
    else if (op.op === 'placed') {
      origins.push({ at: html.length, offset: op.offset });
      html += op.text;
    } else if (op.op === 'attributes') {
      html += `${OPEN}${hidden.push(op.steer) - 1}${CLOSE}`;
    } else {
      // A branch or loop is hidden for its test or list; its bodies stay in the text and are put back from there.
      const index = hidden.push(op as Hidden) - 1;
      if (!isSteer(op)) html += `${OPEN}${index}${CLOSE}`;
      else if (op.op === 'let') html += `<!--${OPEN}begin${index}--><!--${OPEN}end${index}-->`;
      else {
        bodiesOf<Markable>(op).forEach((body, i) => {
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
  const origin = at === undefined ? undefined : marked.origins.findLast((start) => start.at <= at);
  return origin === undefined || at === undefined ? source.place(0, 0) : source.place(origin.offset + at - origin.at, length);
}

export function markOf(comment: string): Mark | undefined {
  const found = /^\uFDD0(begin|divide|end)(\d+)$/.exec(comment);
  return found === null ? undefined : { kind: found[1] as Mark['kind'], index: Number(found[2]) };
}

/** Text that may hold hidden operations, cut at them. */
export function piecesOf(text: string, hidden: readonly Hidden[]): (string | Exclude<Hidden, string>)[] {
  const out: (string | Exclude<Hidden, string>)[] = [];
  let last = 0;
  for (const found of text.matchAll(HIDDEN)) {
    if (found.index > last) out.push(text.slice(last, found.index));
    const op = hidden[Number(found[1])];
    if (typeof op === 'object') out.push(op);
    last = found.index + found[0].length;
  }
  if (last < text.length) out.push(text.slice(last));
  return out;
}

/** Everything of ours in a text, in order: "12" for a value, "begin12" for a mark. */
export function tracesIn(text: string): string[] {
  return [...text.matchAll(/\uFDD0(?:((?:begin|divide|end)\d+)|(\d+)\uFDD1)/g)].map((found) => found[1] ?? found[2] ?? '');
}

/** Whether a branch or loop begins, is divided or ends within a text, where none can. */
export function holdsMark(text: string): boolean {
  return /\uFDD0(?:begin|divide|end)/.test(text);
}

/** The branches or loop that a mark stands for, around new bodies. */
export function rebuilt(op: Hidden | undefined, bodies: readonly (readonly Op[])[]): Op {
  let next = 0;
  return resteered<unknown, Op>(op as Steer<Op>, () => bodies[(next += 1) - 1] ?? []);
}
