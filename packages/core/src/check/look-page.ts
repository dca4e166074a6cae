import { isTag, isText, type Document, type Element } from 'domhandler';
import { elementsOf, speaks, styleOf, textOf, wordCount, type Finding } from './look.js';

const MAX_STYLE = 16 * 1024;
const MAX_WIDTH = 640;
const LEAST_LETTERS = 12;

function pixels(value: string | undefined): number | undefined {
  const found = /^(\d+(?:\.\d+)?)(?:px)?$/.exec(value?.trim() ?? '');
  return found === null ? undefined : Number(found[1]);
}

/** The findings about a document as a whole: what its author chose. */
export function pageFindings(document: Document): Finding[] {
  const elements = [...elementsOf(document)];
  const out: Finding[] = [];
  const has = (test: (node: Element) => boolean): boolean => elements.some(test);
  const sheets = elements
    .filter(({ name }) => name === 'style')
    .map((node) => node.children.map((child) => (isText(child) ? child.data : '')).join(''));
  const css = sheets.join('\n');
  if (!has(({ name, attribs }) => name === 'meta' && attribs['name']?.toLowerCase() === 'viewport'))
    out.push({
      code: 'viewport-missing',
      message: 'Without a viewport, phones show this mail small, as if it were on a wide screen.',
      hint: 'Put <meta name="viewport" content="width=device-width, initial-scale=1"> into the head.',
      near: '<head',
    });
  const isDark = /prefers-color-scheme\s*:\s*dark/i.test(css);
  const saysSo =
    has(({ name, attribs }) => name === 'meta' && attribs['name']?.toLowerCase() === 'color-scheme') ||
    /color-scheme\s*:/i.test(css.replace(/prefers-color-scheme\s*:/gi, ''));
  if (isDark && !saysSo)
    out.push({
      code: 'dark-scheme',
      message: 'There are rules for the dark, and nothing says that this mail has them: some clients change the colours themselves.',
      hint: 'Put <meta name="color-scheme" content="light dark"> into the head.',
      near: 'prefers-color-scheme',
    });
  if (Buffer.byteLength(css) > MAX_STYLE)
    out.push({
      code: 'style-large',
      message: `The style sheets have ${Buffer.byteLength(css)} bytes in all; some webmail drops all of them past ${MAX_STYLE}.`,
      hint: 'Leave out what no mail needs.',
      near: '<style',
    });
  if (has(({ name, attribs }) => name === 'link' && /stylesheet/i.test(attribs['rel'] ?? '')) || /@import/i.test(css))
    out.push({
      code: 'external-style',
      message: 'Hardly a client fetches a style sheet from elsewhere.',
      hint: 'Fonts need another family after them; rules belong into styles/ or a <style>.',
      near: /@import/i.test(css) ? '@import' : 'stylesheet',
    });
  return [...out, ...elements.flatMap(elementFindings), ...pictureOnly(document, elements)];
}

function elementFindings(node: Element): Finding[] {
  const out: Finding[] = [];
  const near = textOf(node).trim().slice(0, 20);
  const style = styleOf(node);
  if (node.name === 'video' || node.name === 'audio')
    out.push({
      code: 'video',
      message: `Hardly a client plays <${node.name}>.`,
      hint: 'Link a picture to a page that plays it.',
      near: `<${node.name}`,
    });
  if (speaks(node)) {
    const size = pixels(style.get('font-size'));
    if (size === 0)
      out.push({
        code: 'type-hidden',
        message: `"${near}" has letters of no size: filters take that for fraud.`,
        hint: 'Leave it out.',
        near,
      });
    else if (size !== undefined && size < LEAST_LETTERS && !/none/.test(style.get('display') ?? ''))
      out.push({
        code: 'type-small',
        message: `"${near}" has letters of ${size} px.`,
        hint: `${LEAST_LETTERS} px is the smallest readable size; phones enlarge smaller text.`,
        near,
      });
  }
  const width = pixels(style.get('width') ?? node.attribs['width']);
  if (width !== undefined && width > MAX_WIDTH && style.get('max-width') === undefined && node.name !== 'col')
    out.push({
      code: 'wide',
      message: `<${node.name}> is ${width} px wide; mails are read in ${MAX_WIDTH} px and less.`,
      hint: 'Use width:100% with max-width.',
      near: String(width),
    });
  if (node.name === 'table') out.push(...tableFindings(node));
  return out;
}

function tableFindings(table: Element): Finding[] {
  const role = (table.attribs['role'] ?? '').toLowerCase();
  const inner = [...elementsOf(table)];
  const hasHeadings = inner.some(({ name }) => name === 'th' || name === 'caption');
  if (role !== '' || hasHeadings) return [];
  const rows = inner.filter(({ name }) => name === 'tr');
  const widest = Math.max(0, ...rows.map((row) => row.children.filter((child) => isTag(child)).length));
  const isData = rows.length > 1 && widest > 1 && !inner.some(({ name }) => ['table', 'img', 'p', 'div', 'h1', 'h2'].includes(name));
  const near = textOf(table).trim().slice(0, 20);
  return [
    isData
      ? {
          code: 'table-headings',
          message: `The table with "${near}" has no headings.`,
          hint: 'Use <th scope="col"> and <th scope="row">: screen readers say them with each cell.',
          near,
        }
      : {
          code: 'table-role',
          message: `The table with "${near}" lays out, and screen readers read it as one of data.`,
          hint: 'Give it role="presentation".',
          near,
        },
  ];
}

/** A mail that has no content without its pictures. */
function pictureOnly(document: Document, elements: readonly Element[]): Finding[] {
  const pictures = elements.filter(({ name }) => name === 'img');
  const said = document.children.map(textOf).join(' ');
  const alts = pictures.map(({ attribs }) => attribs['alt'] ?? '').join(' ');
  if (pictures.length === 0 || wordCount(said) - wordCount(alts) >= 5) return [];
  return [
    {
      code: 'pictures-only',
      message: 'This email has no content without its pictures: filters distrust that, and many readers see no pictures.',
      hint: 'Write the words as text.',
      near: '<img',
    },
  ];
}
