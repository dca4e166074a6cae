import { isTag, isText, type Document, type Element } from 'domhandler';
import { hiddenPreview } from '../html/index.js';
import type { VerbatimTree } from '../notation/index.js';
import { problem, suggestion, warning } from '../problems/index.js';
import type { Op, TextOp } from '../render/index.js';
import { withConditionalAttributes } from './conditional-attributes.js';
import type { FolderContext, MakeInput } from './context.js';
import { elementsOf, isIntact, readDocument, refuseForbidden, tagsAt, type DomFault } from './dom.js';
import { isHiddenElement, textOfDocument } from './html-text.js';
import { mark, originOf, type Marked } from './marked.js';
import { afterDoctype, placeOfStyle, sheetsOf, styleDocument, withImports, type Styled } from './own-styles.js';
import { stylesNamed } from './front.js';
import { checkSteering } from './steering.js';
import { placedOps } from './verbatim.js';
import type { Writing } from './write-attributes.js';
import { writeHtml, type Changes } from './write-html.js';

/** Both parts of a message.html: what needs no change stays to the byte. */
export function fromHtml({ project }: FolderContext, tree: VerbatimTree, input: MakeInput): { html: Op[]; text: TextOp[] } {
  const { read, head, compile, names, classes } = input;
  const { problems } = compile;
  const faults: DomFault[] = [];
  const marked = mark(withConditionalAttributes(placedOps(tree.body, names, compile), faults));
  const placeOf: Writing['placeOf'] = (offset) => originOf(marked, read.source, offset);
  const document = readDocument(marked, (what, offset) => {
    problems.push(
      warning(
        'html-syntax',
        placeOf(offset),
        `The HTML is not well formed: ${what}.`,
        'Browsers and clients mend it, each in its own way.',
      ),
    );
  });
  const report = (): void => {
    for (const fault of faults) problems.push(problem(fault.code, fault.place ?? placeOf(fault.offset), fault.message, fault.hint));
  };
  if (!isIntact(document, marked, faults)) {
    report();
    return { html: [], text: [] };
  }
  refuseForbidden(document, faults);
  checkSteering(document, marked, faults);
  const named = [...project.settings.styles, ...stylesNamed(read.front)].map((path) =>
    withImports(project.styles.get(path) ?? '', { styles: project.styles, faults, at: undefined }),
  );
  const placed = sheetsOf(document, project.styles, faults);
  const styled = styleDocument(document, named, placed, 'author');
  for (const element of elementsOf(document))
    for (const name of (element.attribs['class'] ?? '').split(/\s+/)) if (name !== '') classes.add(name);
  const sheets = [...named, ...placed.map(({ text }) => text)];
  const writing: Writing = { marked, context: compile, placeOf, faults, classes: sheets.some((sheet) => /[.#[]/.test(sheet)) };
  if (head.preview.length > 0 && hasOwnPreview(document))
    problems.push(
      suggestion(
        'preview-twice',
        read.source.place(0, 0),
        'The HTML has a preview line already, and "preview:" adds another one before it.',
        'Keep one of them.',
      ),
    );
  const html = writeHtml(writing, changesOf(document, { styled, marked, input, at: placeOfStyle(document, placed, 'author') }));
  const body = elementsOf(document).find(({ name }) => name === 'body');
  const text = textOfDocument(body?.children.filter((child) => !isTag(child) || child.name !== 'head') ?? [], writing);
  report();
  return { html, text };
}

interface Making {
  readonly styled: Styled;
  readonly marked: Marked;
  readonly input: MakeInput;
  /** Where a `<style>` of the folder's sheets has its place. */
  readonly at: number;
}

/** All that a document lacks, and what its style sheets change. */
function changesOf(document: Document, { styled, marked, input, at }: Making): Changes {
  const { locale, direction, preview, title } = input.head;
  const elements = elementsOf(document);
  const written = (name: string): Element | undefined => elements.find((element) => element.name === name && tagsAt(element) !== undefined);
  const [html, head, body] = [written('html'), written('head'), written('body')];
  const inserts: { at: number; ops: readonly Op[] }[] = [];
  const attributes = new Map(styled.attributes);
  const root = html === undefined ? undefined : tagsAt(html)?.start.from;
  const language = ` lang="${locale}" dir="${direction}"`;
  if (html !== undefined && root !== undefined) {
    const own = attributes.get(root) ?? new Map<string, string>();
    if (html.attribs['lang'] === undefined) own.set('lang', locale);
    if (html.attribs['dir'] === undefined) own.set('dir', direction);
    if (own.size > 0) attributes.set(root, own);
  } else {
    const start = afterDoctype(document);
    const isFragment = head === undefined && body === undefined;
    const ownHead = [
      '<head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>',
      ...title,
      '</title></head>\n<body>',
    ];
    inserts.push({
      at: start,
      ops: [start === 0 && isFragment ? '<!DOCTYPE html>\n' : '', `<html${language}>`, ...(isFragment ? ownHead : [])],
    });
    if (isFragment) inserts.push({ at: marked.html.length, ops: ['</body></html>\n'] });
  }
  if (styled.rest !== '') inserts.push({ at, ops: [`<style>\n${styled.rest.replace(/<(?=\/|!--)/g, '\\3C ')}\n</style>\n`] });
  if (preview.length > 0) {
    const start = body === undefined ? undefined : tagsAt(body)?.start.to;
    inserts.push({
      at: start ?? (html === undefined ? afterDoctype(document) : (tagsAt(html)?.start.to ?? 0)),
      ops: ['\n', ...hiddenPreview(preview)],
    });
  }
  return { attributes, sheets: styled.sheets, inserts };
}

/** Whether the first words of a document are hidden: a preview line of the author's own. */
function hasOwnPreview(document: Document): boolean {
  const body = elementsOf(document).find(({ name }) => name === 'body');
  for (const element of body === undefined ? [] : elementsOf(body)) {
    if (isHiddenElement(element)) return element.children.some((child) => isText(child) && child.data.trim().length > 3);
    if (element.children.some((child) => isText(child) && child.data.trim() !== '')) return false;
  }
  return false;
}
