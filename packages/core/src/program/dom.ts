import type { Document } from 'domhandler';
import { Comment, Element, isDirective, isTag, isText, Text, type AnyNode, type ChildNode, type ParentNode } from 'domhandler';
import { parse } from 'parse5';
import { adapter } from 'parse5-htmlparser2-tree-adapter';
import { inlineStyles } from '../css/index.js';
import { fixed, joined } from '../html/index.js';
import type { Op } from '../render/index.js';
import { addressParts, markOf, rebuilt, reveal, type Marked } from './marked.js';

const VOID = new Set(['area', 'base', 'br', 'col', 'embed', 'hr', 'img', 'input', 'link', 'meta', 'source', 'track', 'wbr']);
const ADDRESSES = new Set(['href', 'src', 'background', 'poster']);
/** Elements that a mail must not hold: clients drop them, and some would be dangerous. */
export const FORBIDDEN = new Set([
  'script',
  'form',
  'iframe',
  'object',
  'embed',
  'input',
  'button',
  'select',
  'textarea',
  'base',
  'applet',
  'frame',
  'frameset',
  'noscript',
]);

export interface DomFault {
  readonly code: string;
  readonly message: string;
  readonly hint: string;
  /** Offset in the marked text, where it is known. */
  readonly offset: number | undefined;
}

/** Reads marked HTML as a document, as browsers do. */
export function readDocument(marked: Marked, onFault: (what: string, offset: number) => void = () => undefined): Document {
  return parse(marked.html, {
    treeAdapter: adapter,
    sourceCodeLocationInfo: true,
    onParseError: ({ code, startOffset }) => {
      if (!MINOR.includes(code)) onFault(code.replaceAll('-', ' '), startOffset);
    },
  });
}

/** Faults of syntax that no client minds, and the one that hidden places make. */
const MINOR: readonly string[] = [
  'missing-doctype',
  'non-void-html-element-start-tag-with-trailing-solidus',
  'noncharacter-in-input-stream',
];

function offsetOf(node: AnyNode): number | undefined {
  return (node as { sourceCodeLocation?: { startOffset: number } | null }).sourceCodeLocation?.startOffset;
}

/** The place of an offset in the marked text, as a fault at render time says it. */
export type Locate = (offset: number | undefined) => string;

/** Where an attribute of a source stands in the marked text. */
export function attributeOffset(node: Element, name: string): number | undefined {
  const location = (node as { sourceCodeLocation?: { attrs?: Record<string, { startOffset: number }> } | null }).sourceCodeLocation;
  return location?.attrs?.[name]?.startOffset ?? offsetOf(node);
}

/** Takes style sheets out of the document: `<style>` and `<link rel=stylesheet>` that name one of the folder's. */
export function takeSheets(document: Document, styles: ReadonlyMap<string, string>, faults: DomFault[]): string[] {
  const out: string[] = [];
  for (const node of [...elementsOf(document)]) {
    if (node.name === 'style') {
      const media = node.attribs['media'];
      const text = node.children
        .filter(isText)
        .map((one) => one.data)
        .join('');
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

export function* elementsOf(node: ParentNode): Generator<Element> {
  for (const child of node.children) {
    if (!isTag(child)) continue;
    yield child;
    yield* elementsOf(child);
  }
}

function remove(node: Element): void {
  const siblings = node.parent?.children;
  if (siblings !== undefined) siblings.splice(siblings.indexOf(node), 1);
}

/** Inlines sheets; what has to stay goes into one `<style>` at the end of the head. */
export function applySheets(document: Document, sheets: readonly string[], attributes: 'author' | 'default'): void {
  const { rest } = inlineStyles(document, sheets, attributes);
  if (rest === '') return;
  const head = [...elementsOf(document)].find((one) => one.name === 'head');
  const existing = head?.children.find((one): one is Element => isTag(one) && one.name === 'style');
  const text = new Text(`\n${rest}\n`);
  if (existing !== undefined) existing.children.push(text);
  else if (head !== undefined) {
    const style = new Element('style', {}, [text]);
    style.parent = head;
    head.children.push(style);
  }
}

/** Takes away what no mail may hold, telling each. */
export function refuseForbidden(document: Document, faults: DomFault[]): void {
  for (const node of [...elementsOf(document)]) {
    if (FORBIDDEN.has(node.name)) {
      faults.push({
        code: 'forbidden-element',
        message: `A mail cannot hold <${node.name}>.`,
        hint: 'Clients drop it or warn about it. Link to a page instead.',
        offset: offsetOf(node),
      });
      remove(node);
    }
    for (const name of Object.keys(node.attribs)) {
      if (/^on/i.test(name)) {
        faults.push({
          code: 'forbidden-attribute',
          message: `A mail cannot hold the attribute "${name}".`,
          hint: 'No script runs in a mail.',
          offset: attributeOffset(node, name),
        });
        Reflect.deleteProperty(node.attribs, name);
      }
    }
  }
}

/** The document as operations again. `locate` says the place of an offset in the marked text, for faults of addresses. */
export function writeDocument(document: Document, marked: Marked, locate: Locate, faults: DomFault[]): Op[] {
  const { hidden } = marked;
  const nodes = (list: readonly ChildNode[]): Op[] => steered(list, marked, faults, (node) => write(node));
  const write = (node: ChildNode): Op[] => {
    if (isText(node)) {
      const raw = node.parent !== null && isTag(node.parent) && node.parent.name === 'style';
      return reveal(node.data, hidden, raw ? (text) => text : fixed);
    }
    if (node instanceof Comment) return ['<!--', ...reveal(node.data, hidden, (text) => text), '-->'];
    if (!isTag(node)) return isDirective(node) ? ['<!DOCTYPE html>\n'] : [];
    const attributes = Object.entries(node.attribs).flatMap(([name, value]) => attribute(node, name, value));
    const open: Op[] = [`<${node.name}`, ...attributes, '>'];
    return VOID.has(node.name) ? open : [...open, ...nodes(node.children), `</${node.name}>`];
  };
  const attribute = (node: Element, name: string, value: string): Op[] => {
    if (/<!--\uFDD0/.test(value)) {
      faults.push({
        code: 'steering-here',
        message: `"if" and "each" cannot stand inside of the attribute "${name}".`,
        hint: 'Choose between values: {{ test ? "one" : "other" }}.',
        offset: attributeOffset(node, name),
      });
      return [];
    }
    if (ADDRESSES.has(name) && !value.startsWith('#') && value.trim() !== '') {
      const whole = reveal(value, hidden, (text) => text);
      const [only] = whole;
      if (whole.length === 1 && typeof only === 'object' && only.op === 'address') return [` ${name}="`, only, '"'];
      const at = locate(attributeOffset(node, name));
      const carries = name === 'src' ? { carries: 'picture' as const } : {};
      return [` ${name}="`, { op: 'address', parts: addressParts(value, hidden), as: 'html', at, ...carries }, '"'];
    }
    return [` ${name}="`, ...reveal(value, hidden, fixed), '"'];
  };
  return joined(nodes(document.children));
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
