import { colorClass, css, markup } from '../html/index.js';
import type { Block } from './block.js';
import { textClass } from './style.js';

export const passcode: Block = {
  signature: { name: 'passcode', first: { name: 'code', kind: 'text', required: true, summary: 'the code' }, args: [], content: 'none' },
  summary: 'A one-time code: large, spaced, and copied in one go. In the text part: its plain signs on a line of their own.',
  example: '::passcode "493 027"',
  html(use, side) {
    const { theme } = side;
    const size = theme.size.h1 + 8;
    const style = css({
      display: 'inline-block',
      padding: '14px 24px',
      'font-family': theme.font.mono,
      'font-size': size,
      'line-height': Math.round(size * 1.2),
      'mso-line-height-rule': 'exactly',
      'font-weight': 'bold',
      'letter-spacing': '0.16em',
      color: theme.color.text.light,
      'background-color': theme.color.page.light,
      'border-radius': theme.space.radius,
    });
    return markup`<p dir="ltr" style="margin:8px 0 24px"><span class="block-passcode ${textClass('text')} ${colorClass('background', 'page')}" style="${style}">${side.parts(side.argument(use, undefined)?.parts ?? [])}</span></p>
`;
  },
  text: (use, side) => [
    { op: 'inset', first: '    ', rest: '    ', body: [{ op: 'lines', body: side.parts(side.argument(use, undefined)?.parts ?? []) }] },
  ],
};
