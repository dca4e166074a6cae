import { isTag } from 'domhandler';
import { Fault, SourceText } from '../problems/index.js';
import { absolute, compileTextOps } from '../render/index.js';
import { elementsOf, isShallow, readDocument, wordsOf } from './dom.js';
import { textOfDocument } from './html-text.js';
import { mark } from './marked.js';
import { bareContext } from './context.js';

/**
 * The text part of HTML that holds no expressions, made from its structure. Links that lead nowhere are their words; a document that nests
 * deeper than any mail is its words alone.
 */
export function textOfHtml(html: string): string {
  const marked = mark([html.replace(/[\uFDD0-\uFDEF]/g, '')]);
  const document = readDocument(marked);
  if (!isShallow(document)) return `${wordsOf(document)}\n`;
  for (const node of elementsOf(document))
    if (node.name === 'a' && !leadsSomewhere(node.attribs['href'] ?? '')) Reflect.deleteProperty(node.attribs, 'href');
  const body = [...elementsOf(document)].find(({ name }) => name === 'body');
  const ops = textOfDocument(body?.children.filter((child) => !isTag(child) || child.name !== 'head') ?? [], {
    marked,
    context: bareContext(),
    placeOf: () => new SourceText('', '').whole,
    faults: [],
    classes: false,
  });
  return compileTextOps(ops);
}

function leadsSomewhere(href: string): boolean {
  if (href.startsWith('#')) return true;
  try {
    absolute(href, '', '');
    return true;
  } catch (error) {
    if (error instanceof Fault) return false;
    throw error;
  }
}
