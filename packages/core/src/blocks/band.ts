import { colorClass, css, EDGE, INSIDE, markup, type Color } from '../html/index.js';
import { flowOf, type Block, type Background } from './block.js';

const TONES = ['accent', 'plain', 'info', 'good', 'warning', 'danger'] as const;

const TEXT_COLORS: Readonly<Record<(typeof TONES)[number], { background: Color; text: Color }>> = {
  accent: { background: 'accent', text: 'onAccent' },
  plain: { background: 'page', text: 'text' },
  info: { background: 'info', text: 'onInfo' },
  good: { background: 'good', text: 'onGood' },
  warning: { background: 'warning', text: 'onWarning' },
  danger: { background: 'danger', text: 'onDanger' },
};

export const band: Block = {
  signature: {
    name: 'band',
    args: [{ name: 'tone', kind: 'choice', choices: TONES, summary: `the background: ${TONES.join(', ')}` }],
    content: 'flow',
  },
  summary: 'A strip over the full width, with a tone: a heading line, a sign-off.',
  example: ':::band tone=accent\nSaltmarsh Ferries\n:::',
  html(use, side) {
    const { theme } = side;
    const tone = TEXT_COLORS[side.word(use, 'tone', 'accent') as (typeof TONES)[number]];
    const background: Partial<Background> = { text: tone.text, soft: tone.text, link: tone.text, width: INSIDE };
    return markup`<table role="presentation" class="block-band ${colorClass('background', tone.background)}" width="100%" cellpadding="0" cellspacing="0" border="0" style="${css({ 'background-color': theme.color[tone.background].light })}"><tr><td class="vp" style="padding:20px ${EDGE}px 4px">
${side.flow(flowOf(use), background)}</td></tr></table>
`;
  },
  text: (use, side) => side.flow(flowOf(use)),
};
