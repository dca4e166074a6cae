import { colorClass, css, markup, type Color } from '../html/index.js';
import { flowOf, type Block } from './block.js';

const TONES = ['info', 'good', 'warning', 'danger'] as const;
type Tone = (typeof TONES)[number];
const TEXT_COLORS: Readonly<Record<Tone, Color>> = { info: 'onInfo', good: 'onGood', warning: 'onWarning', danger: 'onDanger' };

export const notice: Block = {
  signature: {
    name: 'notice',
    args: [{ name: 'tone', kind: 'choice', choices: TONES, summary: `how serious it is: ${TONES.join(', ')}` }],
    content: 'flow',
  },
  summary: 'Something to be noticed, set off by background and edge. In the text part: lines with a bar before them.',
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
    return markup`<table role="presentation" width="100%" cellpadding="0" cellspacing="0" border="0" style="margin:0 0 20px"><tr><td class="block-notice ${tone} ${colorClass('background', tone)} ${colorClass('line', textColor)}" style="${style}">
${side.flow(flowOf(use), { text: textColor, soft: textColor, link: textColor })}</td></tr></table>
`;
  },
  text: (use, side) => [{ op: 'inset', first: '| ', rest: '| ', body: side.flow(flowOf(use)) }],
};
