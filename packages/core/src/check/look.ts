import { isTag, isText, type ChildNode, type Element, type ParentNode } from 'domhandler';
import { readDeclarations } from '../css/index.js';

/** Something found in a rendered document. */
export interface Finding {
  readonly code: string;
  readonly message: string;
  readonly hint?: string;
  /** Words that are in the source, too: the place is found by them. */
  readonly near?: string;
}

/** All elements in the order of the document. */
export function* elementsOf(node: ParentNode): Generator<Element> {
  for (const child of node.children) {
    if (!isTag(child)) continue;
    yield child;
    yield* elementsOf(child);
  }
}

const isHidden = (style: string | undefined): boolean => /display\s*:\s*none|mso-hide\s*:\s*all/.test(style ?? '');

/** Whether an element is in something that is not shown. */
export function isWithinHidden(node: Element): boolean {
  for (let at: Element | null = node; at !== null; at = at.parent !== null && isTag(at.parent) ? at.parent : null)
    if (isHidden(at.attribs['style'])) return true;
  return false;
}

/** The words of a node as they are shown; pictures say their alt texts. */
export function textOf(node: ChildNode): string {
  if (isText(node)) return node.data;
  if (!isTag(node)) return '';
  if (node.name === 'style' || node.name === 'head' || isHidden(node.attribs['style'])) return '';
  if (node.name === 'img') return node.attribs['alt'] ?? '';
  return node.children.map(textOf).join(/^(?:p|div|td|th|li|h\d|br)$/.test(node.name) ? ' ' : '');
}

/** Whether text stands directly in an element. */
export function speaks(node: Element): boolean {
  return node.children.some((child) => isText(child) && child.data.trim() !== '');
}

/** Words of two letters and more. */
export function wordCount(text: string): number {
  return (text.match(/[\p{L}\p{N}]{2,}/gu) ?? []).length;
}

/** The last declaration of each property in an element's attribute. */
export function styleOf(node: Element): Map<string, string> {
  return new Map(readDeclarations(node.attribs['style'] ?? '').map(({ property, value }) => [property, value]));
}
