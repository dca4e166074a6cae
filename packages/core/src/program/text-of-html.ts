import { isTag } from 'domhandler';
import { compileTextOps } from '../render/index.js';
import { elementsOf, readDocument } from './dom.js';
import { textOfDocument } from './html-text.js';
import { mark } from './marked.js';

/** The text part of HTML that holds no expressions, made from its structure. */
export function textOfHtml(html: string): string {
  const marked = mark([html.replace(/[\uFDD0-\uFDEF]/g, '')]);
  const document = readDocument(marked);
  const body = [...elementsOf(document)].find((one) => one.name === 'body');
  const ops = textOfDocument(body?.children.filter((one) => !isTag(one) || one.name !== 'head') ?? [], marked, () => '');
  return compileTextOps(ops);
}
