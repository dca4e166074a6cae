import { isTag, type Element, type ParentNode } from 'domhandler';
import { parse } from 'parse5';
import { adapter } from 'parse5-htmlparser2-tree-adapter';
import { readDeclarations } from '../css/index.js';
import { CSS_FEATURES, FAMILY_WORDS } from './clients.js';
import { colorOf, contrast, LEAST_CONTRAST } from './contrast.js';
import { elementsOf, isWithinHidden, speaks, styleOf, textOf, wordCount, type Finding } from './look.js';
import { linkFindings } from './look-links.js';
import { treeOf } from './read-made.js';
import { pageFindings } from './look-page.js';
import { UNSUBSCRIBE } from './words.js';

export interface DocumentInput {
  readonly html: string;
  /** The HTML was made by blocks alone. */
  readonly isMade: boolean;
  readonly text: string;
  /** A message.html: only there the author chose the markup and its CSS. */
  readonly ownMarkup: boolean;
  readonly optional: boolean;
  /** Assets of the folder by absolute address, with their size in bytes; undefined for one that is not there. */
  readonly asset: (address: string) => { readonly path: string; readonly bytes: number | undefined } | undefined;
}

const MAX_PICTURE = 300 * 1024;

/** Looks at a rendered mail the way its readers' clients do. */
export function lookAt(input: DocumentInput): Finding[] {
  const out: Finding[] = [];
  const document = input.isMade ? treeOf(input.html) : parse(input.html, { treeAdapter: adapter });
  let heading = 0;
  let unsubscribes = false;
  for (const node of elementsOf(document)) {
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
    if (input.ownMarkup && !isWithinHidden(node)) out.push(...styleFindings(node));
  }
  if (input.ownMarkup) out.push(...pageFindings(document));
  out.push(...contrastFindings(document, undefined, undefined));
  if (input.optional && !unsubscribes)
    out.push({
      code: 'no-unsubscribe',
      message: 'An email of an optional topic needs a way to stop it, and this one shows none.',
      hint: 'Link to {{ mail.unsubscribe }}, with words such as "Unsubscribe".',
    });
  const [inHtml, inText] = [wordCount(document.children.map(textOf).join(' ')), wordCount(input.text)];
  if (inHtml > 20 && inText < inHtml * 0.6)
    out.push({
      code: 'text-poor',
      message: `The text part has ${inText} words, the HTML ${inHtml}.`,
      hint: 'Who reads the text part should learn the same.',
    });
  return out;
}

function pictureFindings(node: Element, input: DocumentInput): Finding[] {
  const source = node.attribs['src'] ?? '';
  const name = source.slice(source.lastIndexOf('/') + 1);
  const out: Finding[] = [];
  const add = (code: string, message: string, hint?: string): void => {
    out.push({ code, message, near: name, ...(hint === undefined ? {} : { hint }) });
  };
  // An empty one says that the picture is decoration.
  if (node.attribs['alt'] === undefined)
    add(
      'picture-alt',
      `The picture ${name} has no alt text.`,
      'Many readers see no pictures: describe what it shows, or write alt="" for decoration.',
    );
  if (node.attribs['width'] === undefined && input.ownMarkup)
    add(
      'picture-width',
      `The picture ${name} has no width: desktop clients show it in its full size.`,
      'Give it width and height in pixels.',
    );
  if (/\.(?:svg|webp|avif)(?:[?#]|$)/i.test(name) || /^data:image\/svg/i.test(source))
    add(
      'picture-format',
      `Many clients do not show ${/svg/i.test(source) ? 'SVG' : 'pictures like'} ${name.slice(0, 40)}.`,
      'Use PNG, JPEG or GIF.',
    );
  const asset = input.asset(source);
  if (asset !== undefined && asset.bytes === undefined) add('picture-missing', `There is no ${asset.path} in the mail folder.`);
  else if ((asset?.bytes ?? 0) > MAX_PICTURE)
    add(
      'picture-large',
      `The picture ${name} has ${Math.round((asset?.bytes ?? 0) / 1024)} KiB.`,
      `Keep pictures under ${MAX_PICTURE / 1024} KiB: many readers are on the way.`,
    );
  return out;
}

/** What some clients do not do with the declarations of an element. */
function styleFindings(node: Element): Finding[] {
  const declarations = readDeclarations(node.attribs['style'] ?? '');
  return declarations.flatMap(({ property, value }, i) =>
    CSS_FEATURES.filter(
      (feature) =>
        (feature.property?.test(property) ?? true) &&
        (feature.value?.test(value) ?? true) &&
        (feature.element?.test(node.name) ?? true) &&
        // A plain value before it, or a colour under a picture, is what such a client takes.
        !(feature.fallback === true && hasFallback(property, declarations.slice(0, i), feature.value)) &&
        !/^mso-|^-/.test(property),
    ).map((feature): Finding => ({
      code: 'css-support',
      message: `"${property}: ${value.slice(0, 40)}" on <${node.name}> is ignored by ${feature.families.map((family) => FAMILY_WORDS[family]).join('; ')}: there, ${feature.instead}.`,
      near: property,
      ...(feature.note === undefined ? {} : { hint: feature.note }),
    })),
  );
}

function hasFallback(
  property: string,
  before: readonly { readonly property: string; readonly value: string }[],
  value: RegExp | undefined,
): boolean {
  return before.some(
    (other) =>
      (other.property === property || (property.startsWith('background') && other.property === 'background-color')) &&
      value?.test(other.value) !== true,
  );
}

/** Letters against the background they stand on, as the style attributes say; what is not said is handed down. */
function contrastFindings(node: ParentNode, textColor: string | undefined, background: string | undefined): Finding[] {
  return node.children.flatMap((child): Finding[] => {
    if (!isTag(child)) return [];
    const style = styleOf(child);
    if (/none/.test(style.get('display') ?? '')) return [];
    const own = colorOf(style.get('color') ?? '') ?? textColor;
    const under = colorOf(style.get('background-color') ?? style.get('background') ?? child.attribs['bgcolor'] ?? '') ?? background;
    const ratio = own !== undefined && under !== undefined ? contrast(own, under) : 21;
    const found: Finding[] =
      speaks(child) && ratio < LEAST_CONTRAST
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
