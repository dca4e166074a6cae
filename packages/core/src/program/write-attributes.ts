import type { AddressKind } from '../blocks/index.js';
import { fixed, joined, type TagAttribute } from '../html/index.js';
import type { Place } from '../problems/index.js';
import { isSteer, type Op } from '../render/index.js';
import { fits, isFaulty, isFormatted, shown } from '../typing/index.js';
import { addressOf, isAsItStands } from './address.js';
import type { CompileContext } from './context.js';
import { movedFault, steeringHere, type DomFault } from './dom.js';
import { holdsMark, piecesOf, tracesIn, type Hidden, type Marked, type SlotOp } from './marked.js';
import { placed, valueOf } from './values.js';

/** Attributes that hold an address, each with what is to be found there. */
export const ADDRESSES: ReadonlyMap<string, AddressKind> = new Map<string, AddressKind>([
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
export const NO_DATA: ReadonlySet<string> = new Set([
  'srcset',
  'imagesrcset',
  'ping',
  'http-equiv',
  'xmlns',
  'usemap',
  'sizes',
  'type',
  'rel',
  'target',
]);

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

/** An attribute with its values treated as their place in it wants; undefined where it can stay as it stands. */
export function attributeOps({ name, value, from }: TagAttribute, writing: Writing, isNew: boolean): Op[] | undefined {
  const { marked, faults, context } = writing;
  if (holdsMark(value)) {
    faults.push(steeringHere(`the attribute "${name}"`, from));
    return [];
  }
  const [only, ...more] = piecesOf(name, marked.hidden);
  // Attributes under a condition: see conditional-attributes.
  if (more.length === 0 && typeof only === 'object' && only.op !== 'slot' && isSteer(only)) return [only];
  if (tracesIn(name).length > 0) {
    faults.push(movedFault(from));
    return [];
  }
  const pieces = piecesOf(value, marked.hidden);
  const slots = pieces.filter((piece): piece is SlotOp => typeof piece === 'object' && piece.op === 'slot');
  const kind = ADDRESSES.get(name);
  if (kind !== undefined && !value.startsWith('#') && (value.trim() !== '' || kind === 'link')) {
    const [only] = pieces;
    if (pieces.length === 1 && typeof only === 'object' && only.op === 'address') return [`${name}="`, only, '"'];
    const parts = pieces.filter((piece): piece is string | SlotOp => typeof piece === 'string' || piece.op === 'slot');
    const address = addressOf(parts, context, writing.placeOf(from), kind);
    return slots.length === 0 && !isNew && isAsItStands(value, context)
      ? undefined
      : [`${name}="`, { op: 'address', address, as: 'html' }, '"'];
  }
  if (name === 'style') {
    const ops = cssOps(pieces, from, writing, 'html');
    return isNew || pieces.length !== 1 || ops.length !== 1 || ops[0] !== fixed(value) ? [`${name}="`, ...ops, '"'] : undefined;
  }
  if (pieces.every((piece) => typeof piece === 'string')) return isNew ? [`${name}="`, fixed(value), '"'] : undefined;
  if (slots.length > 0) refuseData(name, from, writing);
  const written = pieces.map((piece): Op => {
    if (typeof piece === 'string') return fixed(piece);
    return piece.op === 'slot' ? { op: 'put', value: valueOf(piece.expression, piece.names), as: 'html' } : piece;
  });
  return [`${name}="`, ...written, '"'];
}

/** Reports attributes that hold no data. */
function refuseData(name: string, offset: number, { faults, classes }: Writing): void {
  if (NO_DATA.has(name) || name.startsWith('xmlns')) {
    faults.push({
      code: 'attribute-data',
      message: `The attribute "${name}" cannot hold a value from data.`,
      hint: 'Write it out, and choose between whole elements with ":::if".',
      offset,
    });
  } else if (classes && (name === 'class' || name === 'id')) {
    faults.push({
      code: 'class-data',
      message: `The attribute "${name}" cannot hold a value: style rules are written into the elements before there is data.`,
      hint: 'Write the element once for each case, between ":::if" and ":::else".',
      offset,
    });
  }
}

/** CSS with values in it: each is a colour, a length or a number, by its type. Addresses become absolute. */
function cssOps(pieces: readonly (string | Exclude<Hidden, string>)[], offset: number, writing: Writing, as: 'html' | 'text'): Op[] {
  const { faults, context } = writing;
  const ops = pieces.flatMap((piece): Op[] => {
    if (typeof piece === 'string') return cssTextOps(piece, offset, writing, as);
    if (piece.op !== 'slot') return [piece];
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
        message: `"${shown(expression)}" cannot be in a style: only colours, lengths and numbers can.`,
        hint: 'Give the field "format": "color" or "length" in the data schema, or a list of such values in "enum".',
        offset,
        place: expression.place,
      });
    return [{ op: 'css', value: valueOf(expression, names), at: placed(expression.place) }];
  });
  return joined(ops);
}

const CSS_ADDRESS = /url\(\s*(?:"([^"\\\n]*)"|'([^'\\\n]*)'|([^\s"'()\\]+))\s*\)/gi;

/** CSS that is written out, its addresses made absolute. */
function cssTextOps(css: string, offset: number, writing: Writing, as: 'html' | 'text'): Op[] {
  const treat = as === 'html' ? fixed : (text: string): string => text.replace(/<(?=\/|!--)/g, '\\3C ');
  const out: Op[] = [];
  let last = 0;
  for (const found of css.matchAll(CSS_ADDRESS)) {
    const address = found[1] ?? found[2] ?? found[3] ?? '';
    if (/^(?:data:|#|$)/i.test(address) || isAsItStands(address, writing.context)) continue;
    out.push(treat(css.slice(last, found.index)), "url('");
    out.push({ op: 'address', address: addressOf([address], writing.context, writing.placeOf(offset), 'picture'), as }, "')");
    last = found.index + found[0].length;
  }
  return [...out, treat(css.slice(last))];
}

/** The text of a `<style>`: no markup can end it. */
export function sheetOps(pieces: readonly (string | Exclude<Hidden, string>)[], offset: number, writing: Writing): Op[] {
  return cssOps(pieces, offset, writing, 'text');
}
