import { colorClass, css, markup, type Color } from '../html/index.js';
import type { TextOp } from '../render/index.js';
import { flowOf, type Block } from './block.js';

const TONES = ['info', 'good', 'warning', 'danger'] as const;
/** Edge and padding from side to side, in CSS pixels. */
const EDGES = 44;
type Tone = (typeof TONES)[number];
const TEXT_COLORS: Readonly<Record<Tone, Color>> = { info: 'onInfo', good: 'onGood', warning: 'onWarning', danger: 'onDanger' };

export const notice: Block = {
  signature: {
    name: 'notice',
    args: [{ name: 'tone', kind: 'choice', choices: TONES, summary: `how serious it is: ${TONES.join(', ')}` }],
    content: 'flow',
  },
  summary:
    'Something to be noticed, set off by background and edge. In the text part: lines with a bar before them, and a word for the tone.',
  example: ':::notice tone=warning\nThe upper ramp is closed today.\n:::',
  html(use, side) {
    const { theme, direction } = side;
    const tone = side.word(use, 'tone', 'info') as Tone;
    const textColor = TEXT_COLORS[tone];
    const edge = direction === 'rtl' ? 'border-right' : 'border-left';
    const style = css({
      padding: '16px 20px 2px',
      'background-color': theme.color[tone].light,
      [edge]: `4px solid ${theme.color[textColor].light}`,
    });
    return markup`<table role="presentation" width="100%" cellpadding="0" cellspacing="0" border="0" style="margin:0 0 20px"><tr><td role="note" aria-label="${[side.say(tone)]}" class="block-notice ${tone} ${colorClass('background', tone)} ${colorClass('line', textColor)}" style="${style}">
${side.flow(flowOf(use), { text: textColor, soft: textColor, link: textColor, width: side.background.width - EDGES })}</td></tr></table>
`;
  },
  // What colour says in the HTML, a word says here.
  text: (use, side) => {
    const tone = side.word(use, 'tone', 'info') as Tone;
    const body: TextOp[] = [
      { op: 'lines', body: [side.say(tone), ':'] },
      { op: 'inset', first: '', rest: '', body: side.flow(flowOf(use)) },
    ];
    return [{ op: 'inset', first: '| ', rest: '| ', body: [{ op: 'stack', body }] }];
  },
};
