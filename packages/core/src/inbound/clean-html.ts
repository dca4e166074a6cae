import { isTag, isText, type ChildNode, type Document, type Element } from 'domhandler';
import { readDeclarations } from '../css/index.js';
import { isHidden } from './html-lines.js';

/** What may stay of an email's HTML when it is shown, stored and passed on. Everything else is left out: what is not known is not trusted. */
const ELEMENTS = new Set(
  'a abbr b bdi bdo blockquote br caption center cite code col colgroup dd del div dl dt em font h1 h2 h3 h4 h5 h6 hr i img ins li ol p pre q s small span strike strong sub sup table tbody td tfoot th thead tr tt u ul'.split(
    ' ',
  ),
);
const VOID = new Set(['br', 'hr', 'img', 'col']);
const ATTRIBUTES = new Set(
  'dir lang title align valign width height colspan rowspan bgcolor color face size border cellpadding cellspacing start type alt'.split(
    ' ',
  ),
);
/** Properties that change how text looks, and nothing of where it is. */
const PROPERTIES =
  /^(?:color|background-color|font(?:-family|-size|-style|-weight|-variant)?|text-(?:align|decoration|decoration-line|transform|indent)|line-height|letter-spacing|word-spacing|vertical-align|white-space|direction|unicode-bidi|margin(?:-(?:top|right|bottom|left))?|padding(?:-(?:top|right|bottom|left))?|border(?:-(?:top|right|bottom|left|collapse|spacing|color|style|width|radius))?|(?:max-|min-)?width|height|list-style-type)$/;
/** Signs that no harmless value has: addresses, escapes, functions that fetch or compute. */
const HARMFUL = /[\\<>@{}]|url\s?\(|expression|javascript:|image-set|(?:^|[\s:,(])-\d/i;
const LONGEST_VALUE = 200;
/** Pictures within the HTML itself (data: addresses), in characters. */
const LONGEST_DATA = 300_000;
const DATA_PICTURE = /^data:image\/(?:png|jpe?g|gif|webp);base64,[A-Za-z0-9+/=\s]*$/;

export interface CleanHtml {
  readonly html: string;
  /** Pictures of other servers, which are not fetched. */
  readonly remotePictures: number;
  /** Whether it held scripts, forms or frames. */
  readonly hadActive: boolean;
}

const ACTIVE = new Set(['script', 'form', 'iframe', 'object', 'embed', 'applet', 'frame', 'input', 'button', 'svg', 'base']);

/** Whether an element that is not shown is, or holds, what would run. */
function holdsActive(element: Element): boolean {
  const waiting: Element[] = [element];
  for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
    if (ACTIVE.has(next.name)) return true;
    for (const child of next.children) if (isTag(child)) waiting.push(child);
  }
  return false;
}

const escaped = (text: string): string => text.replace(/[&<>"\u0000]/g, (sign) => ESCAPES[sign] ?? '');
const ESCAPES: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' };

/** Where a link may lead; undefined for one that a person should not follow from here. */
function safeHref(href: string): string | undefined {
  const plain = href.replace(/[\u0000-\u0020\u007F-\u00A0\u200B-\u200F\u2028\u2029]/g, '');
  return /^(?:https?:\/\/|mailto:|tel:)/i.test(plain) && plain.length <= 4000 ? plain : undefined;
}

function cleanStyle(style: string): string {
  if (style.length > 4000) return '';
  return readDeclarations(style)
    .filter(({ property, value }) => PROPERTIES.test(property) && value.length <= LONGEST_VALUE && !HARMFUL.test(value))
    .map(({ property, value }) => `${property}:${value}`)
    .join(';');
}

/** HTML without anything that runs, loads or leads astray. @param keeps whether a text or a picture stays; all when left out */
export function cleanHtml(document: Document, keeps: (node: ChildNode) => boolean = () => true): CleanHtml {
  let remotePictures = 0;
  let hadActive = false;
  const attributesOf = (element: Element): string => {
    const out: string[] = [];
    for (const [name, value] of Object.entries(element.attribs)) {
      if (name === 'style') {
        const style = cleanStyle(value);
        if (style !== '') out.push(` style="${escaped(style)}"`);
      } else if (name === 'href' && element.name === 'a') {
        const href = safeHref(value);
        if (href !== undefined) out.push(` href="${escaped(href)}" rel="noopener noreferrer nofollow" target="_blank"`);
      } else if (ATTRIBUTES.has(name) && value.length <= LONGEST_VALUE && !HARMFUL.test(value)) out.push(` ${name}="${escaped(value)}"`);
    }
    return out.join('');
  };
  const picture = (element: Element): string => {
    const source = (element.attribs['src'] ?? '').trim();
    const isOwn = /^cid:[^\s"<>]{1,400}$/i.test(source) || (source.length <= LONGEST_DATA && DATA_PICTURE.test(source));
    if (isOwn) return `<img src="${escaped(source)}"${attributesOf(element)}>`;
    remotePictures += source === '' ? 0 : 1;
    return escaped(element.attribs['alt']?.slice(0, LONGEST_VALUE) ?? '');
  };
  const write = (nodes: readonly ChildNode[]): string => {
    let out = '';
    for (const node of nodes) {
      if (isText(node)) out += keeps(node) ? escaped(node.data) : '';
      if (!isTag(node)) continue;
      const { name } = node;
      if (isHidden(node)) {
        hadActive ||= holdsActive(node);
        continue;
      }
      hadActive ||= ACTIVE.has(name);
      if (name === 'img') out += keeps(node) ? picture(node) : '';
      else if (VOID.has(name)) out += `<${name}${attributesOf(node)}>`;
      else {
        const inner = write(node.children);
        // What is empty now was about what is gone.
        if (ELEMENTS.has(name)) out += inner.trim() === '' && !CELLS.has(name) ? inner : `<${name}${attributesOf(node)}>${inner}</${name}>`;
        else out += BREAKS.has(name) ? `${inner}<br>` : inner;
      }
    }
    return out;
  };
  const html = write(document.children);
  return { html: trimmed(html), remotePictures, hadActive };
}

const CELLS = new Set(['td', 'th']);
const BREAKS = new Set(['section', 'article', 'header', 'footer', 'main', 'aside', 'address', 'fieldset', 'legend']);

const EMPTY_TAG = /^<(?:br|hr)\b[^<>]{0,300}>$/;

/** Without the empty lines that are left where something was. */
function trimmed(html: string): string {
  let [from, to] = [0, html.length];
  for (;;) {
    while (from < to && /\s/.test(html.charAt(from))) from += 1;
    const end = html.charAt(from) === '<' ? html.indexOf('>', from) + 1 : 0;
    if (end === 0 || end > to || end - from > 310 || !EMPTY_TAG.test(html.slice(from, end))) break;
    from = end;
  }
  for (;;) {
    while (from < to && /\s/.test(html.charAt(to - 1))) to -= 1;
    const start = html.charAt(to - 1) === '>' ? html.lastIndexOf('<', to - 1) : -1;
    if (start < from || to - start > 310 || !EMPTY_TAG.test(html.slice(start, to))) break;
    to = start;
  }
  return html.slice(from, to);
}
