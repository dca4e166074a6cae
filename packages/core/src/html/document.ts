import { bodiesOf, isSteer, type Op } from '../render/index.js';
import { colorClass, darkRules } from './colors.js';
import { css, fixed, joined, markup } from './markup.js';
import type { Theme } from './theme.js';

/** Width of the mail's column on a wide screen, in CSS pixels. */
const MAIL_WIDTH = 600;
/** From the edge of the column to the words in it, and what is left between, in CSS pixels. */
export const EDGE = 40;
export const INSIDE = MAIL_WIDTH - 2 * EDGE;

export interface DocumentInput {
  readonly theme: Theme;
  readonly locale: string;
  readonly direction: 'ltr' | 'rtl';
  readonly title: readonly Op[];
  readonly preview: readonly Op[];
  readonly body: readonly Op[];
}

// Fills the rest of the preview line, so that clients do not show the beginning of the body after it.
const FILLER = '&#847;&zwnj;&nbsp;'.repeat(30);

/** The line that lists of mails show, hidden in the mail itself. */
export function hiddenPreview(preview: readonly Op[]): Op[] {
  const style = css({
    display: 'none',
    'font-size': 1,
    'line-height': 1,
    'max-height': 0,
    'max-width': 0,
    overflow: 'hidden',
    'mso-hide': 'all',
  });
  return markup`<div style="${style}">${preview}${preview.length > 0 ? FILLER : ''}</div>
`;
}

/** Our classes that are used in a body: the head has rules for these only. */
function classesIn(ops: readonly Op[], out = new Set<string>()): Set<string> {
  for (const op of ops) {
    const markup = typeof op === 'string' ? op : op.op === 'rich' ? op.attributes : '';
    for (const [found] of markup.matchAll(/\bv(?:[a-z]\d+|dark|t)\b/g)) out.add(found);
    if (typeof op !== 'string' && isSteer(op)) for (const body of bodiesOf<Op>(op)) classesIn(body, out);
  }
  return out;
}

/** Clients make links of dates and addresses, and put elements around: they look like the words that they are (`u + #body`: webmail). */
const ADDED_BY_CLIENTS = [
  'a[x-apple-data-detectors]{color:inherit!important;font:inherit!important;text-decoration:none!important}',
  'u+#body a,#MessageViewBody a{color:inherit;font:inherit;text-decoration:none}',
  '#outlook a{padding:0}.ExternalClass{width:100%}.ExternalClass *{line-height:100%}',
].join('\n');

/** A table has the width it has: on a phone its letters are smaller, and its columns closer. */
const TABLE_ON_PHONES = '.vt{font-size:13px!important;line-height:20px!important;padding-left:0!important;padding-right:8px!important}';

/** Pictures in pairs: one for a light background, one for a dark. */
function pictureRules(used: ReadonlySet<string>): string {
  if (!used.has('vdark')) return '';
  const rules = (before: string): string => `${before}.vlight{display:none!important}${before}.vdark{display:block!important}`;
  return `\n@media (prefers-color-scheme:dark){${rules('')}}\n${rules('[data-ogsc] ')}`;
}

/** The whole HTML part around a compiled body. */
export function htmlDocument(input: DocumentInput): Op[] {
  const { theme, locale, direction } = input;
  const page = colorClass('background', 'page');
  const background = theme.color.page.light;
  const body = markup`<body id="body" class="${page}" style="${css({ margin: '0', padding: '0', width: '100%', 'background-color': background, '-webkit-text-size-adjust': '100%', 'text-size-adjust': '100%' })}">
${hiddenPreview(input.preview)}<table role="presentation" class="${page}" width="100%" cellpadding="0" cellspacing="0" border="0" style="${css({ 'background-color': background })}"><tr><td align="center" style="padding:24px 12px">
<!--[if mso]><table role="presentation" align="center" width="${MAIL_WIDTH}" cellpadding="0" cellspacing="0" border="0"><tr><td><![endif]-->
<div class="mail" lang="${fixed(locale)}" dir="${direction}" style="${css({ 'max-width': MAIL_WIDTH, margin: '0 auto', 'overflow-wrap': 'anywhere', 'text-align': direction === 'rtl' ? 'right' : 'left' })}">
${input.body}
</div>
<!--[if mso]></td></tr></table><![endif]-->
</td></tr></table>
</body>
</html>
`;
  const used = classesIn(body);
  const head = markup`<!DOCTYPE html>
<html lang="${fixed(locale)}" dir="${direction}" xmlns:v="urn:schemas-microsoft-com:vml" xmlns:o="urn:schemas-microsoft-com:office:office">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="color-scheme" content="light dark">
<meta name="supported-color-schemes" content="light dark">
<meta name="format-detection" content="telephone=no, date=no, address=no, email=no">
<title>${input.title}</title>
<!--[if mso]><xml><o:OfficeDocumentSettings><o:PixelsPerInch>96</o:PixelsPerInch></o:OfficeDocumentSettings></xml><![endif]-->
<style>
:root{color-scheme:light dark}
${ADDED_BY_CLIENTS}
@media (max-width:480px){.vp{padding-left:20px!important;padding-right:20px!important}${used.has('vt') ? TABLE_ON_PHONES : ''}}
${darkRules(theme, used)}${pictureRules(used)}
</style>
</head>
`;
  return joined([...head, ...body]);
}
