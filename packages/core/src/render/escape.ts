// C0 and C1 controls but tab and line feed, bidi embeddings, overrides and isolates (which could turn what follows around),
// and noncharacters: none of them has a use in a value, and each can break out of its place.
const UNSAFE = /[\u0000-\u0008\u000B-\u001F\u007F-\u009F\u202A-\u202E\u2066-\u2069\uFDD0-\uFDEF\uFFFE\uFFFF]/g;
const HTML_OR_UNSAFE = /[&<>"'\u0000-\u0008\u000B-\u001F\u007F-\u009F\u202A-\u202E\u2066-\u2069\uFDD0-\uFDEF\uFFFE\uFFFF\uD800-\uDFFF]/;
const HTML = /[&<>"']/g;
const ENTITIES: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' };

/** For text and quoted attribute values of HTML. */
export function escapeHtml(text: string): string {
  // Most values need nothing: one look finds out.
  return HTML_OR_UNSAFE.test(text)
    ? text
        .toWellFormed()
        .replace(UNSAFE, '')
        .replace(HTML, (char) => ENTITIES[char] ?? '')
    : text;
}

/** One line of ASCII, its words one space apart. */
const EVEN = /^(?:[\x21-\x7E]| (?! ))*$/;

/** For running text of the text part: white space becomes one space, so that a value cannot start a line of its own. */
export function escapeText(text: string): string {
  if (EVEN.test(text)) return text;
  return text
    .toWellFormed()
    .replace(/[\s\u2028\u2029]+/g, (space) => (/^\u00A0+$/.test(space) ? space : ' '))
    .replace(UNSAFE, '')
    .replace(/ {2,}/g, ' ');
}

/** For text of HTML, with the line breaks of a value kept. */
export function htmlLines(text: string): string {
  return escapeHtml(text).replace(/\n/g, '<br>\n');
}

/** For the text part, with the line breaks of a value kept. */
export function textLines(text: string): string {
  return text.split('\n').map(escapeText).join('\n');
}

/** For a header field: one line, no controls. */
export function escapeLine(text: string): string {
  return escapeText(text).trim();
}
