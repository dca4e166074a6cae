import { Comment, isTag, isText, type AnyNode, type ChildNode, type Document, type Element, type ParentNode } from 'domhandler';
import { parse } from 'parse5';
import { adapter } from 'parse5-htmlparser2-tree-adapter';
import type { Place } from '../problems/index.js';
import { markOf, tracesIn, type Marked } from './marked.js';
import { tagsOf } from '../html/index.js';

/** Elements that an email must not hold: clients drop them, and some would be dangerous. */
const FORBIDDEN = new Set(
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
    onParseError: ({ code: name, startOffset }) => {
      const code: string = name;
      // "<![if !mso]>": all but the Word engine take it for a comment of nothing.
      const isRevealing =
        code === 'incorrectly-opened-comment' && /<!\[(?:if|endif)/i.test(marked.html.slice(startOffset - 2, startOffset + 9));
      if (!MINOR.includes(code) && !isRevealing) onFault(code.replaceAll('-', ' '), startOffset);
    },
  });
  return document;
}

/** Faults of syntax that no client minds, and the one that hidden places make. */
const MINOR: readonly string[] = [
  'missing-doctype',
  'non-void-html-element-start-tag-with-trailing-solidus',
  'noncharacter-in-input-stream',
  // XHTML and older doctypes choose how a mail is laid out, and stay.
  'non-conforming-doctype',
];

type Located = AnyNode & {
  readonly sourceCodeLocation?: {
    readonly startOffset: number;
    readonly endOffset: number;
    readonly startTag?: { readonly startOffset: number; readonly endOffset: number } | null;
    readonly endTag?: { readonly startOffset: number; readonly endOffset: number } | null;
    readonly attrs?: Readonly<Record<string, { readonly startOffset: number }>>;
  } | null;
};

export function offsetOf(node: AnyNode): number | undefined {
  return node.sourceCodeLocation?.startOffset;
}

/** Where a node of the source ends in the marked text. */
export function endOf(node: AnyNode): number | undefined {
  return node.sourceCodeLocation?.endOffset;
}

/** Where the tags of an element are in the marked text; undefined if it has none of its own. */
export function tagsAt(
  node: Element,
): { readonly start: { readonly from: number; readonly to: number }; readonly end: number | undefined } | undefined {
  const location = (node as Located).sourceCodeLocation;
  const start = location?.startTag;
  if (start === undefined || start === null) return undefined;
  return { start: { from: start.startOffset, to: start.endOffset }, end: location?.endTag?.startOffset };
}

/** Where an attribute of a source is in the marked text. */
export function attributeOffset(node: Element, name: string): number | undefined {
  return (node as Located).sourceCodeLocation?.attrs?.[name]?.startOffset ?? offsetOf(node);
}

/** All nodes in the order of the document, without recursion. */
export function* nodesOfTree(root: ParentNode): Generator<readonly [ChildNode, number]> {
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
        hint: 'No client shows an email that nests so deep.',
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
  const differs = wanted.findIndex((text, i) => text !== found[i]);
  if (differs !== -1 || found.length !== wanted.length)
    moved ??= movedFault(offsetOfTrace(marked.html, wanted[Math.max(0, differs)] ?? ''));
  const dropped = moved === undefined ? droppedTag(marked, elements) : undefined;
  if (dropped !== undefined) faults.push(dropped);
  if (moved !== undefined) faults.push(moved);
  return moved === undefined;
}

export function movedFault(offset: number | undefined): DomFault {
  return {
    code: 'html-moved',
    message: 'This is not allowed here: mail clients would move it elsewhere or drop it.',
    hint: 'Inside a table, put text in cells and wrap whole rows in "if" and "each". Values cannot be tag names, attribute names or comments.',
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
        hint: 'Rows and cells must be inside a table; a form or link cannot contain another.',
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

function remove(node: Element): void {
  const siblings = node.parent?.children;
  if (siblings !== undefined) siblings.splice(siblings.indexOf(node), 1);
}

/** What no mail may hold in this tag. */
export function forbiddenIn(
  name: string,
  attributes: readonly string[],
  { refresh }: { readonly refresh: boolean },
): Omit<DomFault, 'offset'> | undefined {
  if (FORBIDDEN.has(name) || (name === 'meta' && refresh))
    return {
      code: 'forbidden-element',
      message: `An email cannot hold <${name}>.`,
      hint: 'Clients drop it or warn about it. Link to a page instead.',
    };
  const attribute = attributes.find((text) => FORBIDDEN_ATTRIBUTE.test(text));
  return attribute === undefined
    ? undefined
    : { code: 'forbidden-attribute', message: `An email cannot hold the attribute "${attribute}".`, hint: 'No script runs in an email.' };
}

const OF_THE_HEAD = new Set(['link', 'style', 'title', 'meta']);

/** Removes elements and attributes that email must not contain, with a fault for each. `isPart`: the markup is a fragment, not a document. */
export function refuseForbidden(document: Document, faults: DomFault[], { isPart = false }: { readonly isPart?: boolean } = {}): void {
  for (const node of elementsOf(document)) {
    if (isPart && OF_THE_HEAD.has(node.name) && node.parent !== null && isTag(node.parent) && node.parent.name !== 'head') {
      faults.push({
        code: 'forbidden-element',
        message: `<${node.name}> belongs into the head of a document, not among its text.`,
        hint: 'Put style sheets into styles/ and titles into the front matter.',
        offset: offsetOf(node),
      });
      remove(node);
      continue;
    }
    for (;;) {
      const names = Object.keys(node.attribs);
      const fault = forbiddenIn(node.name, names, { refresh: /refresh/i.test(node.attribs['http-equiv'] ?? '') });
      if (fault === undefined) break;
      const attribute = fault.code === 'forbidden-attribute' ? names.find((name) => FORBIDDEN_ATTRIBUTE.test(name)) : undefined;
      faults.push({ ...fault, offset: attribute === undefined ? offsetOf(node) : attributeOffset(node, attribute) });
      if (attribute === undefined) {
        remove(node);
        break;
      }
      Reflect.deleteProperty(node.attribs, attribute);
    }
  }
}

/** A branch or loop where none can stand. */
export function steeringHere(where: string, offset: number | undefined): DomFault {
  return {
    code: 'steering-here',
    message: `"if" and "each" cannot be inside of ${where}.`,
    hint: 'Choose between values: {{ test ? "one" : "other" }}.',
    offset,
  };
}
