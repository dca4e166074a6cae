import type { Document } from 'domhandler';
import { Comment, Element, isDirective, isTag, isText, Text, type AnyNode, type ChildNode, type ParentNode } from 'domhandler';
import { parse } from 'parse5';
import { adapter } from 'parse5-htmlparser2-tree-adapter';
import type { AddressKind } from '../blocks/index.js';
import { inlineStyles } from '../css/index.js';
import { fixed, joined } from '../html/index.js';
import type { Place } from '../problems/index.js';
import type { Op } from '../render/index.js';
import { fits, isFaulty, isFormatted, shown } from '../typing/index.js';
import { addressOf } from './address.js';
import { holdsMark, markOf, piecesOf, rebuilt, tracesIn, type Hidden, type Marked, type SlotOp } from './marked.js';
import type { CompileContext } from './context.js';
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
/** Elements that a mail must not hold: clients drop them, and some would be dangerous. */
export const FORBIDDEN = new Set(
  (
    'script form iframe object embed input button select textarea base applet frame frameset noscript template plaintext xmp noembed ' +
    'noframes portal foreignobject'
  ).split(' '),
);
const FORBIDDEN_ATTRIBUTE = /^(?:on.*|srcdoc|formaction|ping)$/i;
/** Levels that the elements of a document may nest. */
const MAX_ELEMENT_DEPTH = 256;

export interface DomFault {
  readonly code: string;
  readonly message: string;
  readonly hint: string;
  /** Offset in the marked text, where it is known. */
  readonly offset: number | undefined;
  /** A place in the source, where it is known better than that. */
  readonly place?: Place;
}

/** Reads marked HTML as a document, as browsers do. */
export function readDocument(marked: Marked, onFault: (what: string, offset: number) => void = () => undefined): Document {
  const document = parse(marked.html, {
    treeAdapter: adapter,
    sourceCodeLocationInfo: true,
    onParseError: ({ code, startOffset }) => {
      if (!MINOR.includes(code)) onFault(code.replaceAll('-', ' '), startOffset);
    },
  });
  return document;
}

/** Faults of syntax that no client minds, and the one that hidden places make. */
const MINOR: readonly string[] = [
  'missing-doctype',
  'non-void-html-element-start-tag-with-trailing-solidus',
  'noncharacter-in-input-stream',
];

type Located = AnyNode & {
  readonly sourceCodeLocation?: {
    readonly startOffset: number;
    readonly startTag?: unknown;
    readonly attrs?: Readonly<Record<string, { readonly startOffset: number }>>;
  } | null;
};

function offsetOf(node: AnyNode): number | undefined {
  return (node as Located).sourceCodeLocation?.startOffset;
}

/** Where an attribute of a source stands in the marked text. */
export function attributeOffset(node: Element, name: string): number | undefined {
  return (node as Located).sourceCodeLocation?.attrs?.[name]?.startOffset ?? offsetOf(node);
}

/** All nodes in the order of the document, without recursion. */
function* nodesOfTree(root: ParentNode): Generator<readonly [ChildNode, number]> {
  const waiting: (readonly [ChildNode, number])[] = [];
  const push = (node: ParentNode, depth: number): void => {
    for (let i = node.children.length - 1; i >= 0; i -= 1) waiting.push([node.children[i] as ChildNode, depth]);
  };
  push(root, 1);
  for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
    yield next;
    const [node, depth] = next;
    if (isTag(node)) push(node, depth + 1);
  }
}

/**
 * Looks whether a document holds what its source says: parsers move what stands where it cannot, and drop what has no meaning. Whatever of
 * ours has been moved or lost would be shown at the wrong place, or never.
 * @returns false when the document cannot be gone through at all
 */
export function isIntact(document: Document, marked: Marked, faults: DomFault[]): boolean {
  for (const table of [...elementsWithin(document, 'table')]) gatherMarks(table);
  const found: string[] = [];
  const elements = new Set<number>();
  let last = 0;
  let moved: DomFault | undefined;
  for (const [node, depth] of nodesOfTree(document)) {
    if (depth > MAX_ELEMENT_DEPTH) {
      faults.push({
        code: 'nesting',
        message: `Elements nest deeper than ${MAX_ELEMENT_DEPTH} levels here.`,
        hint: 'No client shows a mail that nests so deep.',
        offset: offsetOf(node),
      });
      return false;
    }
    if (isText(node) || node instanceof Comment) {
      found.push(...tracesIn(node.data));
      const at = offsetOf(node);
      if (at !== undefined && node.data.trim() !== '') {
        if (at < last) moved ??= movedFault(at);
        last = Math.max(last, at);
      }
    } else if (isTag(node)) {
      const at = offsetOf(node);
      if (at !== undefined) elements.add(at);
      for (const [name, value] of Object.entries(node.attribs)) found.push(...tracesIn(name), ...tracesIn(value));
      if (tracesIn(node.name).length > 0) moved ??= movedFault(at);
    }
  }
  const wanted = tracesIn(marked.html);
  const differs = wanted.findIndex((one, i) => one !== found[i]);
  if (differs !== -1 || found.length !== wanted.length)
    moved ??= movedFault(offsetOfTrace(marked.html, wanted[Math.max(0, differs)] ?? ''));
  const dropped = moved === undefined ? droppedTag(marked, elements) : undefined;
  if (dropped !== undefined) faults.push(dropped);
  if (moved !== undefined) faults.push(moved);
  return moved === undefined;
}

function movedFault(offset: number | undefined): DomFault {
  return {
    code: 'html-moved',
    message: 'This cannot stand here: clients would move it elsewhere, or drop it.',
    hint: 'In a table, text stands in cells only, and "if" and "each" stand around whole rows. No value stands in a tag’s name, in a comment, or as an attribute.',
    offset,
  };
}

function offsetOfTrace(html: string, trace: string): number | undefined {
  const at = html.indexOf(/^\d/.test(trace) ? `\uFDD0${trace}\uFDD1` : `\uFDD0${trace}`);
  return at === -1 ? undefined : at;
}

/** An opening tag of which no element has come. */
function droppedTag(marked: Marked, elements: ReadonlySet<number>): DomFault | undefined {
  const lost = tagsOf(marked.html).tags.find(
    (tag) => tag.kind === 'start' && !elements.has(tag.from) && !['html', 'head', 'body'].includes(tag.name),
  );
  return lost === undefined
    ? undefined
    : {
        code: 'html-dropped',
        message: `<${lost.name}> has no meaning here, and clients drop it.`,
        hint: 'Rows and cells stand in a table only; one form or link cannot stand in another.',
        offset: lost.from,
      };
}

/**
 * A parser puts a <tbody> around rows that have none, between the beginning of a branch or loop and its first row: the beginning is moved
 * inside, to where its end is.
 */
function gatherMarks(table: Element): void {
  for (const body of table.children.filter(isTag)) {
    const isImplied = body.name === 'tbody' && offsetOf(body) === undefined;
    let wanted = isImplied ? openEnds(body) : 0;
    while (wanted > 0) {
      const before = table.children[table.children.indexOf(body) - 1];
      if (before === undefined || isTag(before)) break;
      table.children.splice(table.children.indexOf(before), 1);
      before.parent = body;
      body.children.unshift(before);
      const found = before instanceof Comment ? markOf(before.data) : undefined;
      if (found?.kind === 'begin') wanted -= 1;
      if (found?.kind === 'end') wanted += 1;
    }
    relink(body);
  }
  relink(table);
}

/** Ends of branches and loops among the children whose beginnings are not. */
function openEnds(node: Element): number {
  let open = 0;
  let missing = 0;
  for (const child of node.children) {
    const found = child instanceof Comment ? markOf(child.data) : undefined;
    if (found?.kind === 'begin') open += 1;
    if (found?.kind === 'end' && open > 0) open -= 1;
    else if (found?.kind === 'end') missing += 1;
  }
  return missing;
}

function relink(node: Element): void {
  node.children.forEach((child, i) => {
    child.prev = node.children[i - 1] ?? null;
    child.next = node.children[i + 1] ?? null;
  });
}

/** Whether a document nests no deeper than can be gone through. */
export function isShallow(document: Document): boolean {
  for (const [, depth] of nodesOfTree(document)) if (depth > MAX_ELEMENT_DEPTH) return false;
  return true;
}

/** The words of a document, one space between them. */
export function wordsOf(document: Document): string {
  const out: string[] = [];
  for (const [node] of nodesOfTree(document))
    if (isText(node) && !(node.parent !== null && isTag(node.parent) && /^(?:style|script|title)$/.test(node.parent.name)))
      out.push(node.data);
  return out.join(' ').replace(/\s+/g, ' ').trim();
}

function* elementsWithin(root: ParentNode, name: string): Generator<Element> {
  for (const [node] of nodesOfTree(root)) if (isTag(node) && node.name === name) yield node;
}

export function elementsOf(node: ParentNode): Element[] {
  return [...nodesOfTree(node)].flatMap(([one]) => (isTag(one) ? [one] : []));
}

/** Takes style sheets out of the document: `<style>` and `<link rel=stylesheet>` that name one of the folder's. */
export function takeSheets(document: Document, styles: ReadonlyMap<string, string>, faults: DomFault[]): string[] {
  const out: string[] = [];
  for (const node of elementsOf(document)) {
    if (node.name === 'style') {
      const media = node.attribs['media'];
      const text = node.children
        .filter(isText)
        .map((one) => one.data)
        .join('');
      if (holdsMark(text)) faults.push(steeringHere('<style>', offsetOf(node)));
      out.push(media === undefined || media === 'all' ? text : `@media ${media}{${text}}`);
      remove(node);
    } else if (node.name === 'link' && /\bstylesheet\b/i.test(node.attribs['rel'] ?? '')) {
      const href = (node.attribs['href'] ?? '').replace(/^\.?\//, '').replace(/^(?:\.\.\/)+/, '');
      const sheet = styles.get(href);
      if (sheet === undefined)
        faults.push({
          code: 'unknown-style',
          message: `There is no style sheet "${href}" in the mail folder.`,
          hint: `Known: ${[...styles.keys()].join(', ') || 'none'}. A mail fetches no style sheets.`,
          offset: offsetOf(node),
        });
      else out.push(sheet);
      remove(node);
    }
  }
  return out;
}

function remove(node: Element): void {
  const siblings = node.parent?.children;
  if (siblings !== undefined) siblings.splice(siblings.indexOf(node), 1);
}

/** Inlines sheets; what has to stay goes into one `<style>` at the end of the head. */
export function applySheets(document: Document, sheets: readonly string[], attributes: 'author' | 'default'): void {
  const { rest } = inlineStyles(document, sheets, attributes);
  if (rest === '') return;
  const head = elementsOf(document).find((one) => one.name === 'head');
  if (head === undefined) return;
  let style = head.children.find((one): one is Element => isTag(one) && one.name === 'style');
  if (style === undefined) {
    style = new Element('style', {}, []);
    style.parent = head;
    head.children.push(style);
  }
  const text = new Text(`\n${rest}\n`);
  text.parent = style;
  style.children.push(text);
}

/** What no mail may hold in this tag. */
function forbiddenIn(name: string, attributes: readonly string[], refresh: boolean): Omit<DomFault, 'offset'> | undefined {
  if (FORBIDDEN.has(name) || (name === 'meta' && refresh))
    return {
      code: 'forbidden-element',
      message: `A mail cannot hold <${name}>.`,
      hint: 'Clients drop it or warn about it. Link to a page instead.',
    };
  const attribute = attributes.find((one) => FORBIDDEN_ATTRIBUTE.test(one));
  return attribute === undefined
    ? undefined
    : { code: 'forbidden-attribute', message: `A mail cannot hold the attribute "${attribute}".`, hint: 'No script runs in a mail.' };
}

const OF_THE_HEAD = new Set(['link', 'style', 'title', 'meta']);

/** Takes away what no mail may hold, telling each. `isPart`: of markup that is no document of its own. */
export function refuseForbidden(document: Document, faults: DomFault[], isPart = false): void {
  for (const node of elementsOf(document)) {
    if (isPart && OF_THE_HEAD.has(node.name) && node.parent !== null && isTag(node.parent) && node.parent.name !== 'head') {
      faults.push({
        code: 'forbidden-element',
        message: `<${node.name}> belongs into the head of a document, not among its text.`,
        hint: 'Style sheets stand in styles/, titles in the front matter.',
        offset: offsetOf(node),
      });
      remove(node);
      continue;
    }
    for (;;) {
      const names = Object.keys(node.attribs);
      const fault = forbiddenIn(node.name, names, /refresh/i.test(node.attribs['http-equiv'] ?? ''));
      if (fault === undefined) break;
      const attribute = fault.code === 'forbidden-attribute' ? names.find((one) => FORBIDDEN_ATTRIBUTE.test(one)) : undefined;
      faults.push({ ...fault, offset: attribute === undefined ? offsetOf(node) : attributeOffset(node, attribute) });
      if (attribute === undefined) {
        remove(node);
        break;
      }
      Reflect.deleteProperty(node.attribs, attribute);
    }
  }
}

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

function steeringHere(where: string, offset: number | undefined): DomFault {
  return {
    code: 'steering-here',
    message: `"if" and "each" cannot stand inside of ${where}.`,
    hint: 'Choose between values: {{ test ? "one" : "other" }}.',
    offset,
  };
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
        (one) => fits(one, 'number') || (one.kind === 'text' && (isFormatted(one, 'color') || isFormatted(one, 'length'))),
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
    const names = tag.attributes.map((one) => one.name);
    const fault = forbiddenIn(
      tag.name,
      names,
      tag.attributes.some((one) => one.name === 'http-equiv' && /refresh/i.test(one.value)),
    );
    if (fault !== undefined) {
      writing.faults.push({ ...fault, offset });
      continue;
    }
    const traces = tracesIn(source).length;
    const plain = traces === 0 && !names.some((name) => ADDRESSES.has(name));
    if (plain) out.push(source);
    else {
      if (tag.attributes.reduce((sum, one) => sum + tracesIn(one.value).length, 0) !== traces) writing.faults.push(movedFault(offset));
      out.push(
        `<${tag.name}`,
        ...tag.attributes.flatMap((one) => attributeOps(one.name, one.value, offset, writing)),
        tag.selfClosing ? '/>' : '>',
      );
    }
  }
  between(markup.length);
  return out;
}

/** Goes through siblings, gathering what stands between the marks of a branch or loop. */
export function steered<T>(list: readonly ChildNode[], marked: Marked, faults: DomFault[], one: (node: ChildNode) => readonly T[]): T[] {
  const stack: { index: number; bodies: T[][] }[] = [];
  const out: T[] = [];
  const body = (): T[] => stack.at(-1)?.bodies.at(-1) ?? out;
  for (const node of list) {
    const found = node instanceof Comment ? markOf(node.data) : undefined;
    if (found === undefined) {
      body().push(...one(node));
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
