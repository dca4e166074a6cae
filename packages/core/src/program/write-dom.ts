import { Comment, isDirective, isTag, isText, type ChildNode } from 'domhandler';
import type { AddressKind } from '../blocks/index.js';
import { fixed, joined } from '../html/index.js';
import type { Place } from '../problems/index.js';
import type { Op } from '../render/index.js';
import { fits, isFaulty, isFormatted, shown } from '../typing/index.js';
import { addressOf } from './address.js';
import type { CompileContext } from './context.js';
import { attributeOffset, forbiddenIn, movedFault, offsetOf, steeringHere, type DomFault } from './dom.js';
import { holdsMark, markOf, piecesOf, rebuilt, tracesIn, type Hidden, type Marked, type SlotOp } from './marked.js';
import { inserted } from './sides.js';
import { tagsOf, VOID } from './tags.js';
import { placed, valueOf } from './values.js';

/** Attributes that hold an address, each with what is to be found there. */
const ADDRESSES = new Map<string, AddressKind>([
  ['href', 'link'],
  ['xlink:href', 'link'],
  ['o:href', 'link'],
  ['action', 'link'],
  ['cite', 'link'],
  ['longdesc', 'link'],
  ['data', 'link'],
  ['src', 'picture'],
  ['background', 'picture'],
  ['poster', 'picture'],
  ['lowsrc', 'picture'],
  ['dynsrc', 'picture'],
]);
/** Attributes that are read as more than a text, so that no escaping makes data safe in them. */
const NO_DATA = new Set(['srcset', 'imagesrcset', 'ping', 'http-equiv', 'xmlns', 'usemap', 'sizes', 'type', 'rel', 'target']);
/** What the writing of markup needs to know. */
export interface Writing {
  readonly marked: Marked;
  readonly context: CompileContext;
  /** The place in the source of an offset in the marked text. */
  readonly placeOf: (offset: number | undefined) => Place;
  readonly faults: DomFault[];
  /** Style sheets have rules for classes and ids: these cannot come from data. */
  readonly classes: boolean;
}

/** The document as operations again. */
export function writeDocument(nodesToWrite: readonly ChildNode[], writing: Writing): Op[] {
  const { marked, faults } = writing;
  const nodes = (list: readonly ChildNode[]): Op[] => steered(list, marked, faults, (node) => write(node));
  const write = (node: ChildNode): Op[] => {
    if (isText(node)) {
      const within = node.parent !== null && isTag(node.parent) ? node.parent.name : '';
      if (holdsMark(node.data)) {
        faults.push(steeringHere(`<${within}>`, offsetOf(node)));
        return [];
      }
      return within === 'style' ? styleSheet(node.data, offsetOf(node), writing) : textOps(piecesOf(node.data, marked.hidden), fixed);
    }
    if (node instanceof Comment) return commentOps(node, writing);
    if (!isTag(node)) return isDirective(node) ? ['<!DOCTYPE html>\n'] : [];
    const attributes = Object.entries(node.attribs).flatMap(([name, value]) =>
      attributeOps(name, value, attributeOffset(node, name), writing),
    );
    const open: Op[] = [`<${node.name}`, ...attributes, '>'];
    return VOID.has(node.name) ? open : [...open, ...nodes(node.children), `</${node.name}>`];
  };
  return joined(nodes(nodesToWrite));
}

function textOps(pieces: readonly (string | Exclude<Hidden, string>)[], treat: (text: string) => string): Op[] {
  return pieces.map((piece): Op => {
    if (typeof piece === 'string') return treat(piece);
    return piece.op === 'slot' ? inserted(piece.expression, piece.names, 'html') : piece;
  });
}

/** An attribute, its values treated as their place in it wants. */
function attributeOps(name: string, value: string, offset: number | undefined, writing: Writing): Op[] {
  const { marked, faults, context } = writing;
  if (holdsMark(value)) {
    faults.push(steeringHere(`the attribute "${name}"`, offset));
    return [];
  }
  if (tracesIn(name).length > 0) {
    faults.push(movedFault(offset));
    return [];
  }
  const pieces = piecesOf(value, marked.hidden);
  const slots = pieces.filter((piece): piece is SlotOp => typeof piece === 'object' && piece.op === 'slot');
  const kind = ADDRESSES.get(name);
  if (kind !== undefined && !value.startsWith('#') && (value.trim() !== '' || kind === 'link')) {
    const [only] = pieces;
    if (pieces.length === 1 && typeof only === 'object' && only.op === 'address') return [` ${name}="`, only, '"'];
    const parts = pieces.filter((piece): piece is string | SlotOp => typeof piece === 'string' || piece.op === 'slot');
    return [` ${name}="`, { op: 'address', address: addressOf(parts, context, writing.placeOf(offset), kind), as: 'html' }, '"'];
  }
  if (slots.length === 0) return [` ${name}="`, ...textOps(pieces, fixed), '"'];
  if (name === 'style') return [` ${name}="`, ...cssOps(pieces, offset, writing, fixed), '"'];
  if (NO_DATA.has(name) || name.startsWith('xmlns')) {
    faults.push({
      code: 'attribute-data',
      message: `The attribute "${name}" cannot hold a value from data.`,
      hint: 'Write it out, and choose between whole elements with ":::if".',
      offset,
    });
  } else if (writing.classes && (name === 'class' || name === 'id')) {
    faults.push({
      code: 'class-data',
      message: `The attribute "${name}" cannot hold a value: style rules are written into the elements before there is data.`,
      hint: 'Write the element once for each case, between ":::if" and ":::else".',
      offset,
    });
  }
  const written = pieces.map((piece): Op => {
    if (typeof piece === 'string') return fixed(piece);
    return piece.op === 'slot' ? { op: 'put', value: valueOf(piece.expression, piece.names), as: 'html' } : piece;
  });
  return [` ${name}="`, ...written, '"'];
}

/** CSS with values in it: each is a colour, a length or a number, by its type. */
function cssOps(
  pieces: readonly (string | Exclude<Hidden, string>)[],
  offset: number | undefined,
  writing: Writing,
  treat: (text: string) => string,
): Op[] {
  const { faults, context } = writing;
  return pieces.map((piece): Op => {
    if (typeof piece === 'string') return treat(piece);
    if (piece.op !== 'slot') return piece;
    const { expression, names } = piece;
    const type = context.types.get(expression);
    const fine =
      type === undefined ||
      isFaulty(type) ||
      type.members.every(
        (member) => fits(member, 'number') || (member.kind === 'text' && (isFormatted(member, 'color') || isFormatted(member, 'length'))),
      );
    if (!fine)
      faults.push({
        code: 'style-data',
        message: `"${shown(expression)}" cannot stand in a style: only colours, lengths and numbers can.`,
        hint: 'Give the field "format": "color" or "length" in the data schema, or a list of such values in "enum".',
        offset,
        place: expression.place,
      });
    return { op: 'css', value: valueOf(expression, names), at: placed(expression.place) };
  });
}

/** The text of a `<style>`: no markup can end it. */
function styleSheet(text: string, offset: number | undefined, writing: Writing): Op[] {
  return cssOps(piecesOf(text, writing.marked.hidden), offset, writing, (css) => css.replace(/<(?=\/|!--)/g, '\\3C '));
}

const CONDITIONAL = /^(\[if [^\]]*\]>)([\s\S]*?)(<!\[endif\]|<!)?$/;

/** A comment. What a conditional one holds is markup for the Word engine, and is treated as such. */
function commentOps(node: Comment, writing: Writing): Op[] {
  const offset = offsetOf(node);
  if (holdsMark(node.data)) {
    writing.faults.push(steeringHere('a comment', offset));
    return [];
  }
  const conditional = CONDITIONAL.exec(node.data);
  if (conditional !== null) {
    const [, open = '', inner = '', close = ''] = conditional;
    return [`<!--${open}`, ...fragmentOps(inner, offset, writing), `${close}-->`];
  }
  if (tracesIn(node.data).length > 0) writing.faults.push(movedFault(offset));
  // Other comments are notes of the author: they are nobody else's business.
  if (/^<!\[endif\]$/.test(node.data)) return [`<!--${node.data}-->`];
  // The form that all clients but the Word engine take for a comment of nothing, so that they show what is between.
  return /^\[(?:if [^\]]*|endif)\]$/.test(node.data) ? [`<!${node.data}>`] : [];
}

/** Markup that is no whole document: its tags are looked at one by one, and what needs nothing stays as it stands. */
function fragmentOps(markup: string, offset: number | undefined, writing: Writing): Op[] {
  const { tags, cutOff } = tagsOf(markup);
  const { hidden } = writing.marked;
  if (cutOff)
    writing.faults.push({
      code: 'html-open',
      message: 'A tag is not closed in this comment.',
      hint: 'Close it within the comment.',
      offset,
    });
  const out: Op[] = [];
  let last = 0;
  let style = false;
  const between = (to: number): void => {
    const text = markup.slice(last, to);
    if (text === '') return;
    out.push(...(style ? styleSheet(text, offset, writing) : textOps(piecesOf(text, hidden), (source) => source)));
  };
  for (const tag of tags) {
    between(tag.from);
    last = tag.to;
    const source = markup.slice(tag.from, tag.to);
    if (tag.kind !== 'start') {
      if (tracesIn(source).length > 0) writing.faults.push(movedFault(offset));
      out.push(source);
      style = false;
      continue;
    }
    style = tag.name === 'style';
    const names = tag.attributes.map((attribute) => attribute.name);
    const fault = forbiddenIn(tag.name, names, {
      refresh: tag.attributes.some((attribute) => attribute.name === 'http-equiv' && /refresh/i.test(attribute.value)),
    });
    if (fault !== undefined) {
      writing.faults.push({ ...fault, offset });
      continue;
    }
    const traces = tracesIn(source).length;
    const plain = traces === 0 && !names.some((name) => ADDRESSES.has(name));
    if (plain) out.push(source);
    else {
      if (tag.attributes.reduce((sum, attribute) => sum + tracesIn(attribute.value).length, 0) !== traces)
        writing.faults.push(movedFault(offset));
      out.push(
        `<${tag.name}`,
        ...tag.attributes.flatMap((attribute) => attributeOps(attribute.name, attribute.value, offset, writing)),
        tag.selfClosing ? '/>' : '>',
      );
    }
  }
  between(markup.length);
  return out;
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

function crossing(offset: number | undefined): DomFault {
  return {
    code: 'steering-crosses',
    message: 'An "if" or "each" begins inside of an element and ends outside of it (or the other way round).',
    hint: 'Both ends must stand in the same element. In a table, put whole rows between them.',
    offset,
  };
}
