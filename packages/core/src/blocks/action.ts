import { colorClass, css, fixed, markup } from '../html/index.js';
import type { Op } from '../render/index.js';
import type { Block } from './block.js';
import { letters } from './style.js';
import { TRACK, trackMark } from './track.js';

const HEIGHT = 46;

export const action: Block = {
  signature: {
    name: 'action',
    first: { name: 'label', kind: 'text', required: true, summary: 'the words on the button' },
    args: [
      { name: 'to', kind: 'url', required: true, summary: 'where it leads' },
      { name: 'tone', kind: 'choice', choices: ['main', 'quiet'], summary: 'main (filled, the usual one) or quiet (outlined)' },
      TRACK,
    ],
    content: 'none',
  },
  summary: 'A button that leads somewhere. In the text part: its words and the address.',
  example: '::action "Change this booking" to="https://saltmarsh-ferries.example/bookings/SM-1042"',
  html(use, side) {
    const { theme } = side;
    const label = side.argument(use, undefined)?.parts ?? [];
    const to = side.argument(use, 'to');
    if (to === undefined) return [];
    const quiet = side.word(use, 'tone', 'main') === 'quiet';
    const [textColor, background] = quiet ? (['accent', 'surface'] as const) : (['onAccent', 'accent'] as const);
    const words = side.parts(label);
    // The Word engine makes a box only with a width.
    const width: Op = { op: 'width', size: theme.size.text, body: side.plain(label) };
    const href = side.address(to);
    const radius = theme.space.radius;
    const text = letters(theme, textColor, theme.size.text, { 'font-weight': 'bold', 'text-decoration': 'none' });
    const border = quiet ? `2px solid ${theme.color.accent.light}` : `2px solid ${theme.color[background].light}`;
    const arc = Math.round((radius / HEIGHT) * 100);
    return markup`<table role="presentation" cellpadding="0" cellspacing="0" border="0" style="margin:8px 0 24px"><tr><td>
<!--[if mso]><v:roundrect href="${[href]}" style="height:${HEIGHT}px;v-text-anchor:middle;width:${[width]}px" arcsize="${arc}%" strokecolor="${theme.color.accent.light}" fillcolor="${theme.color[background].light}"><center style="${fixed(text)}">${words}</center></v:roundrect><![endif]-->
<!--[if !mso]><!--><a class="block-action ${colorClass('text', textColor)} ${colorClass('background', background)} ${colorClass('line', 'accent')}" href="${[href]}"${trackMark(use, side)} style="${text};${css({ display: 'inline-block', padding: '9px 24px', border, 'border-radius': radius, 'background-color': theme.color[background].light })}">${words}</a><!--<![endif]-->
</td></tr></table>
`;
  },
  text(use, side) {
    const to = side.argument(use, 'to');
    if (to === undefined) return [];
    return [{ op: 'link', label: side.parts(side.argument(use, undefined)?.parts ?? []), to: side.address(to) }];
  },
};
