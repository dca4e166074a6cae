import { isTag, isText, type ChildNode, type Element, type ParentNode } from 'domhandler';
import { parse } from 'parse5';
import { adapter } from 'parse5-htmlparser2-tree-adapter';
import { readDeclarations } from '../css/index.js';
import { colorOf, contrast, LEAST_CONTRAST } from './contrast.js';
import { CSS_FEATURES, FAMILY_WORDS } from './clients.js';
import { EMPTY_LINK_WORDS, UNSUBSCRIBE } from './words.js';

/** Something found in a rendered document. */
export interface Finding {
  readonly code: string;
  readonly message: string;
  readonly hint?: string;
  /** Words that stand in the source too, to find the place by. */
  readonly near?: string;
}

function* elements(node: ParentNode): Generator<Element> {
  for (const child of node.children) {
    if (!isTag(child)) continue;
    yield child;
    yield* elements(child);
  }
}

function textOf(node: ChildNode): string {
  if (isText(node)) return node.data;
  if (!isTag(node)) return '';
  if (node.name === 'style' || node.name === 'head' || /display\s*:\s*none/.test(node.attribs['style'] ?? '')) return '';
  if (node.name === 'img') return node.attribs['alt'] ?? '';
  return node.children.map(textOf).join(/^(?:p|div|td|th|li|h\d|br)$/.test(node.name) ? ' ' : '');
}

function words(text: string): number {
  return (text.match(/[\p{L}\p{N}]{2,}/gu) ?? []).length;
}

export interface DocumentInput {
  readonly html: string;
  readonly text: string;
  /** Own HTML or own style sheets: only then the author chose the CSS. */
  readonly ownStyles: boolean;
  readonly optional: boolean;
  /** Assets of the folder by absolute address, with their size in bytes; undefined for one that is not there. */
  readonly asset: (address: string) => { readonly path: string; readonly bytes: number | undefined } | undefined;
}

const MAX_PICTURE = 300 * 1024;

/** Looks at a rendered mail the way its readers' clients do. */
export function lookAt(input: DocumentInput): Finding[] {
  const out: Finding[] = [];
  const document = parse(input.html, { treeAdapter: adapter });
  let heading = 0;
  let unsubscribes = false;
  for (const node of elements(document)) {
    const level = Number(/^h([1-6])$/.exec(node.name)?.[1] ?? 0);
    if (level > heading + 1 && heading > 0)
      out.push({
        code: 'heading-order',
        message: `A heading of level ${level} follows one of level ${heading}.`,
        hint: 'Screen readers jump from heading to heading: leave no level out.',
        near: textOf(node).trim(),
      });
    if (level > 0) heading = level;
    if (node.name === 'a') {
      out.push(...linkFindings(node));
      if (UNSUBSCRIBE.test(textOf(node).trim()) || UNSUBSCRIBE.test(node.attribs['href'] ?? '')) unsubscribes = true;
    }
    if (node.name === 'img') out.push(...pictureFindings(node, input));
    if (input.ownStyles) out.push(...styleFindings(node));
  }
  out.push(...contrastFindings(document, undefined, undefined));
  if (input.optional && !unsubscribes)
    out.push({
      code: 'no-unsubscribe',
      message: 'An email of an optional topic needs a way to stop it, and this one shows none.',
      hint: 'Link to a page that stops it, with words such as "Unsubscribe".',
    });
  const [inHtml, inText] = [words(document.children.map(textOf).join(' ')), words(input.text)];
  if (inHtml > 20 && inText < inHtml * 0.6)
    out.push({
      code: 'text-poor',
      message: `The text part has ${inText} words, the HTML ${inHtml}.`,
      hint: 'Who reads the text part should learn the same.',
    });
  return out;
}

function linkFindings(link: Element): Finding[] {
  const out: Finding[] = [];
  const label = textOf(link).trim();
  const href = link.attribs['href'] ?? '';
  if (label === '')
    out.push({
      code: 'link-silent',
      message: `The link to ${href.slice(0, 60)} has no words.`,
      hint: 'Give it a text, or its picture an alt text.',
    });
  else if (EMPTY_LINK_WORDS.has(label.toLowerCase()))
    out.push({
      code: 'link-words',
      message: `The link "${label}" does not say where it leads.`,
      hint: 'Name the page: "your booking", not "here".',
      near: label,
    });
  if (/^https?:\/\/(?:localhost|127\.|\[::1\]|10\.|192\.168\.)/i.test(href))
    out.push({
      code: 'link-local',
      message: `The link "${label}" leads to this machine: ${href.slice(0, 60)}.`,
      hint: 'Set "baseUrl" in mail.yaml to the public address.',
      near: label,
    });
  return out;
}

function pictureFindings(node: Element, input: DocumentInput): Finding[] {
  const source = node.attribs['src'] ?? '';
  const name = source.slice(source.lastIndexOf('/') + 1);
  const out: Finding[] = [];
  if ((node.attribs['alt'] ?? '').trim() === '')
    out.push({
      code: 'picture-alt',
      message: `The picture ${name} has no alt text.`,
      hint: 'Many readers see no pictures: say what it shows.',
      near: name,
    });
  const asset = input.asset(source);
  if (asset !== undefined && asset.bytes === undefined)
    out.push({ code: 'picture-missing', message: `There is no ${asset.path} in the mail folder.`, near: name });
  else if ((asset?.bytes ?? 0) > MAX_PICTURE)
    out.push({
      code: 'picture-large',
      message: `The picture ${name} has ${Math.round((asset?.bytes ?? 0) / 1024)} KiB.`,
      hint: `Keep pictures under ${MAX_PICTURE / 1024} KiB: many readers are on the way.`,
      near: name,
    });
  return out;
}

function styleFindings(node: Element): Finding[] {
  return readDeclarations(node.attribs['style'] ?? '').flatMap(({ property, value }) =>
    CSS_FEATURES.filter((feature) => (feature.property?.test(property) ?? true) && (feature.value?.test(value) ?? true)).map(
      (feature): Finding => ({
        code: 'css-support',
        message: `"${property}: ${value.slice(0, 40)}" is ignored by ${feature.ignoredBy.map((family) => FAMILY_WORDS[family]).join('; ')}: there, ${feature.instead}.`,
        near: property,
      }),
    ),
  );
}

/** Letters against the background they stand on, as the style attributes say; what is not said is handed down. */
function contrastFindings(node: ParentNode, textColor: string | undefined, background: string | undefined): Finding[] {
  return node.children.flatMap((child): Finding[] => {
    if (!isTag(child)) return [];
    const style = new Map(readDeclarations(child.attribs['style'] ?? '').map((declaration) => [declaration.property, declaration.value]));
    if (/none/.test(style.get('display') ?? '')) return [];
    const own = colorOf(style.get('color') ?? '') ?? textColor;
    const under = colorOf(style.get('background-color') ?? style.get('background') ?? child.attribs['bgcolor'] ?? '') ?? background;
    const speaks = child.children.some((childNode) => isText(childNode) && childNode.data.trim() !== '');
    const ratio = own !== undefined && under !== undefined ? contrast(own, under) : 21;
    const found: Finding[] =
      speaks && ratio < LEAST_CONTRAST
        ? [
            {
              code: 'contrast',
              message: `"${textOf(child).trim().slice(0, 30)}" has a contrast of ${ratio.toFixed(1)}:1 (${own ?? ''} on ${under ?? ''}); ${LEAST_CONTRAST}:1 is the least that reads well.`,
              near: textOf(child).trim().slice(0, 20),
            },
          ]
        : [];
    return [...found, ...contrastFindings(child, own, under)];
  });
}
