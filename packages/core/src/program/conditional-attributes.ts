import { bodiesOf, isSteer, resteered, type Op, type Steer } from '../render/index.js';
import type { DomFault } from './dom.js';
import type { Markable, PlacedText, SlotOp } from './marked.js';
import { ADDRESSES, NO_DATA } from './write-attributes.js';
import { valueOf } from './values.js';

/** Where in markup a text ends: among words, in a tag, in a quoted value of it, or in a comment. */
type State = 'words' | 'tag' | 'comment' | '"' | "'";

/** The state after a text. */
function after(text: string, from: State): State {
  let state = from;
  for (let i = 0; i < text.length; i += 1) {
    const char = text[i] ?? '';
    if (state === 'comment') {
      if (text.startsWith('-->', i)) state = 'words';
    } else if (state === 'words') {
      if (text.startsWith('<!--', i)) state = 'comment';
      else if (char === '<' && /[A-Za-z]/.test(text[i + 1] ?? '')) state = 'tag';
    } else if (state === 'tag') {
      if (char === '>') state = 'words';
      else if (char === '"' || char === "'") state = char;
    } else if (char === state) state = 'tag';
  }
  return state;
}

/** Attributes, one after the other; a value of data (U+FDD0 here) is in quotes. */
const ATTRIBUTES = /^\s*(?:[A-Za-z][\w:-]*(?:=(?:"[^"<>]*"|'[^'<>]*'))?(?:\s+|$))+$/;
const ONE = /([A-Za-z][\w:-]*)(?:=("[^"]*"|'[^']*'))?/g;
const VALUE = '\uFDD0';
/** What style sheets look at when there is no data yet, and what both parts say. */
const FIXED = new Set(['class', 'id', 'style', 'alt']);

/**
 * Branches and loops between the attributes of a tag (`<td {{ if late }}bgcolor="#ff0000"{{ end }}>`) become operations of that tag: a parser of
 * markup sees one attribute in their place. What cannot be told before there is data stays refused.
 */
export function withConditionalAttributes(ops: readonly Markable[], faults: DomFault[]): Markable[] {
  return walk(ops, 'words', faults).out;
}

function walk(ops: readonly Markable[], from: State, faults: DomFault[]): { readonly out: Markable[]; readonly state: State } {
  let state = from;
  const out: Markable[] = [];
  ops.forEach((op, i) => {
    if (typeof op === 'string' || !isSteer(op)) {
      if (typeof op !== 'string' && op.op === 'placed') state = after(op.text, state);
      out.push(op);
    } else if (state === 'tag' && op.op !== 'let') out.push(...attributesOf(op, { before: out.at(-1), next: ops[i + 1], faults }));
    else {
      const started = state;
      out.push(
        resteered<Markable, Markable>(op, (body) => {
          const inner = walk(body, started, faults);
          state = inner.state;
          return inner.out;
        }),
      );
    }
  });
  return { out, state };
}

interface Around {
  readonly before: Markable | undefined;
  readonly next: Markable | undefined;
  readonly faults: DomFault[];
}

const isPlaced = (op: Markable | undefined): op is PlacedText => typeof op === 'object' && op.op === 'placed';

function attributesOf(op: Steer<Markable>, { before, next, faults }: Around): Markable[] {
  const fault = bodiesOf<Markable>(op)
    .map(faultOf)
    .find((found) => found !== undefined);
  if (fault !== undefined) {
    faults.push(fault);
    return [];
  }
  const steer = resteered<Markable, Op>(op, (body) => (body.length === 0 ? [] : [' ', ...body.map(plainOp)]));
  // A space on both sides, where the source has none: it is an attribute of its own.
  const space = (text: string): Markable[] => (text === '' ? [] : [text]);
  return [
    ...space(isPlaced(before) && !/\s$/.test(before.text) ? ' ' : ''),
    { op: 'attributes', steer },
    ...space(isPlaced(next) && /^[\s>/]/.test(next.text) ? '' : ' '),
  ];
}

function plainOp(op: Markable): Op {
  if (typeof op === 'string') return op;
  if (op.op === 'placed') return op.text;
  if (op.op === 'slot') return { op: 'put', value: valueOf(op.expression, op.names), as: 'html' };
  return resteered<Markable, Op>(op as Steer<Markable>, (body) => body.map(plainOp));
}

function faultOf(body: readonly Markable[]): DomFault | undefined {
  const slots = body.filter((op): op is SlotOp => typeof op === 'object' && op.op === 'slot');
  const first = body.find(isPlaced);
  const nested = body.filter((op) => typeof op === 'object' && op.op !== 'placed' && op.op !== 'slot');
  const place = slots[0]?.expression.place;
  const at = { offset: undefined, ...(place === undefined ? {} : { place }) };
  if (nested.length > 0)
    return {
      code: 'attribute-steering',
      message: '"if" and "each" cannot nest between attributes.',
      hint: 'Join the tests with "and" and "or".',
      ...at,
    };
  const text = body.map((op) => (isPlaced(op) ? op.text : VALUE)).join('');
  if (text.trim() === '') return undefined;
  if (!ATTRIBUTES.test(text))
    return {
      code: 'attribute-steering',
      message: `Between attributes, "if" and "each" hold whole attributes with quoted values; this is ${JSON.stringify((first?.text ?? '').trim().slice(0, 60))}.`,
      hint: 'For example <td {{ if late }}bgcolor="#ff0000"{{ end }}>.',
      ...at,
    };
  for (const [, name = '', value = ''] of text.matchAll(ONE)) {
    const key = name.toLowerCase();
    const isFixed = FIXED.has(key) || ADDRESSES.has(key) || key.startsWith('on') || key.startsWith('xmlns');
    if (isFixed || (value.includes(VALUE) && NO_DATA.has(key)))
      return {
        code: 'attribute-steering',
        message: `The attribute "${name}" cannot be conditional.`,
        hint: ADDRESSES.has(key)
          ? `Choose between addresses: ${key}="{{ test ? one : other }}".`
          : 'Write the element once for each case, between ":::if" and ":::else".',
        ...at,
      };
  }
  return undefined;
}
