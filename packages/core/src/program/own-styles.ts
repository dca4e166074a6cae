import { isComment, isDirective, isTag, isText, type Document, type Element } from 'domhandler';
import { inlineStyles, readDeclarations, readImport, readStructure, type Elsewhere, type SheetInput } from '../css/index.js';
import { didYouMean } from '../problems/index.js';
import { elementsOf, endOf, nodesOfTree, offsetOf, steeringHere, tagsAt, type DomFault } from './dom.js';
import { holdsMark } from './marked.js';
import { tagsOf } from '../html/index.js';
import { conditionalOf, type Changes } from './write-html.js';

/** A style sheet in a document, or one that the document links to. */
export interface PlacedSheet extends SheetInput {
  /** Offset of its `<style>` or `<link>` in the marked text. */
  readonly at: number;
}

/** The style sheets of a document in their order: `<style>`, and `<link>` to one of the mail folder's. Others are left to the clients. */
export function sheetsOf(document: Document, styles: ReadonlyMap<string, string>, faults: DomFault[]): PlacedSheet[] {
  return elementsOf(document).flatMap((node): PlacedSheet[] => {
    const at = offsetOf(node);
    if (at === undefined) return [];
    if (node.name === 'style') {
      const text = node.children
        .filter(isText)
        .map(({ data }) => data)
        .join('');
      if (holdsMark(text)) faults.push(steeringHere('<style>', at));
      return [{ at, text: withImports(text, { styles, faults, at }), media: node.attribs['media'] }];
    }
    if (node.name !== 'link' || !/\bstylesheet\b/i.test(node.attribs['rel'] ?? '')) return [];
    const href = node.attribs['href'] ?? '';
    if (isElsewhere(href)) return [];
    const text = sheetAt(href, { styles, faults, at });
    return text === undefined ? [] : [{ at, text: withImports(text, { styles, faults, at }), media: node.attribs['media'] }];
  });
}

interface Folder {
  readonly styles: ReadonlyMap<string, string>;
  readonly faults: DomFault[];
  readonly at: number | undefined;
}

const isElsewhere = (href: string): boolean => /^\s*(?:[a-z][a-z0-9+.-]*:|\/\/)/i.test(href) || href.includes('\uFDD0');

function sheetAt(href: string, { styles, faults, at }: Folder): string | undefined {
  const path = href
    .trim()
    .replace(/^\.?\//, '')
    .replace(/^(?:\.\.\/)+/, '');
  const text = styles.get(path) ?? styles.get(`styles/${path}`);
  if (text === undefined)
    faults.push({
      code: 'unknown-style',
      message: `There is no style sheet "${path}" in the mail folder.`,
      hint: didYouMean(path, styles.keys()) ?? `Known: ${[...styles.keys()].join(', ') || 'none'}.`,
      offset: at,
    });
  return text;
}

/** Imports that one sheet may come to: sheets that import each other would grow without end. */
const MOST_IMPORTS = 50;

function tooManyImports(offset: number | undefined): DomFault {
  return {
    code: 'style-imports',
    message: `This style sheet comes to more than ${MOST_IMPORTS} imports.`,
    hint: 'Sheets that import each other never end.',
    offset,
  };
}

/** A sheet with those of the mail folder that it imports written into it; an email fetches none. Imports of other hosts stay. */
export function withImports(text: string, folder: Folder, budget = { left: MOST_IMPORTS }): string {
  if (!/@import/i.test(text)) return text;
  let out = '';
  let last = 0;
  for (const item of readStructure(text)) {
    if (item.kind !== 'at' || item.name !== 'import') continue;
    const wanted = readImport(item.prelude);
    if (wanted === undefined || isElsewhere(wanted.href)) continue;
    budget.left -= 1;
    const found = budget.left < 0 ? undefined : sheetAt(wanted.href, folder);
    if (budget.left === -1) folder.faults.push(tooManyImports(folder.at));
    let inner = found === undefined ? '' : withImports(found, folder, budget);
    if (wanted.layer !== undefined) inner = `@layer ${wanted.layer}{${inner}}`;
    if (wanted.supports !== undefined) inner = `@supports (${wanted.supports}){${inner}}`;
    if (wanted.media !== '') inner = `@media ${wanted.media}{${inner}}`;
    out += text.slice(last, item.from) + inner;
    last = item.to;
  }
  return out + text.slice(last);
}

/** Classes, ids and tags within the conditional comments of a document. */
function namesInComments(document: Document): Elsewhere {
  const names = { classes: new Set<string>(), ids: new Set<string>(), types: new Set<string>() };
  for (const [node] of nodesOfTree(document)) {
    if (!isComment(node)) continue;
    for (const tag of tagsOf(conditionalOf(node.data)?.inner ?? '').tags) {
      if (tag.kind !== 'start') continue;
      names.types.add(tag.name);
      for (const { name, value } of tag.attributes) {
        if (name === 'id') names.ids.add(value);
        if (name === 'class') for (const each of value.split(/\s+/)) names.classes.add(each);
      }
    }
  }
  return names;
}

export interface Styled {
  readonly attributes: Map<number, Map<string, string>>;
  readonly sheets: Changes['sheets'];
  /** What is left of the sheets that stand nowhere in the document. */
  readonly rest: string;
}

/** Writes sheets into the style attributes of a document, in the document itself too. `named` come before those in the document. */
export function styleDocument(
  document: Document,
  named: readonly string[],
  placed: readonly PlacedSheet[],
  kind: 'author' | 'default',
): Styled {
  const elements = elementsOf(document);
  const before = new Map(elements.map((element) => [element, element.attribs['style']]));
  const { rests } = inlineStyles(document, [...named.map((text) => ({ text })), ...placed], {
    attributes: kind,
    elsewhere: namesInComments(document),
    isWritten: (element) => tagsAt(element) !== undefined,
  });
  const attributes = new Map<number, Map<string, string>>();
  for (const element of elements) {
    const style = element.attribs['style'];
    const at = tagsAt(element)?.start.from;
    // Of elements that a parser made twice the first one counts.
    if (at !== undefined && style !== undefined && style !== before.get(element) && !attributes.has(at))
      attributes.set(at, new Map([['style', style]]));
  }
  if (kind === 'default') for (const element of elements) if (element.name === 'a') recolorButton(element, attributes);
  const sheets = new Map<number, string>();
  placed.forEach((sheet, i) => {
    const rest = rests[named.length + i] ?? '';
    if (rest !== sheet.text || isLinkAt(elements, sheet.at)) sheets.set(sheet.at, mediaOf(elements, sheet, rest));
  });
  return {
    attributes,
    sheets,
    rest: rests
      .slice(0, named.length)
      .filter((text) => text !== '')
      .join('\n'),
  };
}

/** Copies the colours of a button to its VML twin, the button for the Word engine in the comment before it. */
function recolorButton(link: Element, attributes: Map<number, Map<string, string>>): void {
  const at = tagsAt(link)?.start.from;
  if (at === undefined || !attributes.has(at)) return;
  let before = link.prev;
  while (before !== null && !(isComment(before) && before.data.includes('v:roundrect'))) before = isTag(before) ? null : before.prev;
  const found = before === null || !isComment(before) ? undefined : conditionalOf(before.data);
  const start = before === null ? undefined : offsetOf(before);
  if (found === undefined || start === undefined) return;
  const own = new Map(readDeclarations(link.attribs['style'] ?? '').map(({ property, value }) => [property, value]));
  const background = own.get('background-color') ?? own.get('background');
  const border = own.get('border-color') ?? /#[0-9a-f]{3,6}\b|\b[a-z]+$/i.exec(own.get('border') ?? '')?.[0];
  for (const tag of tagsOf(found.inner).tags) {
    if (tag.kind !== 'start') continue;
    const set = new Map<string, string>();
    if (tag.name === 'v:roundrect') {
      if (background !== undefined && /^(?:#[0-9a-f]{3,6}|[a-z]+)$/i.test(background)) set.set('fillcolor', background);
      if (border !== undefined) set.set('strokecolor', border);
    } else if (tag.name === 'center') {
      const style = tag.attributes.find(({ name }) => name === 'style')?.value ?? '';
      const kept = readDeclarations(style).map(({ property, value }) => `${property}:${own.get(property) ?? value}`);
      if (kept.join(';') !== style) set.set('style', kept.join(';'));
    }
    if (set.size > 0) attributes.set(start + '<!--'.length + found.from + tag.from, set);
  }
}

function elementAt(elements: readonly Element[], at: number): Element | undefined {
  return elements.find((element) => offsetOf(element) === at);
}

function isLinkAt(elements: readonly Element[], at: number): boolean {
  return elementAt(elements, at)?.name === 'link';
}

/** The style sheet that replaces a `<link>` keeps its media query; a `<style>` has it in its tag. */
function mediaOf(elements: readonly Element[], { at, media }: PlacedSheet, rest: string): string {
  const isWhole = media === undefined || /^(?:all)?$/i.test(media.trim());
  return rest === '' || isWhole || !isLinkAt(elements, at) ? rest : `@media ${media}{${rest}}`;
}

/** Where a `<style>` for sheets that stand nowhere has its place: before the first of the document, or at the end of its head. */
export function placeOfStyle(document: Document, placed: readonly PlacedSheet[], kind: 'author' | 'default'): number {
  const [first] = placed;
  if (kind === 'author' && first !== undefined) return first.at;
  const elements = elementsOf(document);
  const named = (name: string) => elements.find((element) => element.name === name && tagsAt(element) !== undefined);
  const head = named('head');
  if (head !== undefined) return tagsAt(head)?.end ?? tagsAt(head)?.start.to ?? 0;
  const html = named('html');
  return html === undefined ? afterDoctype(document) : (tagsAt(html)?.start.to ?? 0);
}

/** The place after a document's doctype; its beginning where it has none. */
export function afterDoctype(document: Document): number {
  for (const node of document.children) {
    if (isTag(node)) break;
    if (isDirective(node)) return endOf(node) ?? 0;
  }
  return 0;
}
