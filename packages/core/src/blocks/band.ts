import { colorClass, css, markup, type Color } from '../html/index.js';
import { flowOf, type Block, type Ground } from './block.js';

const TONES = ['accent', 'plain', 'info', 'good', 'warning', 'danger'] as const;

const INKS: Readonly<Record<(typeof TONES)[number], { ground: Color; ink: Color }>> = {
  accent: { ground: 'accent', ink: 'onAccent' },
  plain: { ground: 'page', ink: 'ink' },
  info: { ground: 'info', ink: 'onInfo' },
  good: { ground: 'good', ink: 'onGood' },
  warning: { ground: 'warning', ink: 'onWarning' },
  danger: { ground: 'danger', ink: 'onDanger' },
};

export const band: Block = {
  signature: {
    name: 'band',
    args: [{ name: 'tone', kind: 'choice', choices: TONES, summary: `the ground: ${TONES.join(', ')}` }],
    content: 'flow',
  },
  summary: 'A strip over the full width, with a tone: a heading line, a sign-off.',
  example: ':::band tone=accent\nSaltmarsh Ferries\n:::',
  html(use, side) {
    const { theme } = side;
    const tone = INKS[side.word(use, 'tone', 'accent') as (typeof TONES)[number]];
    const ground: Partial<Ground> = { ink: tone.ink, soft: tone.ink, link: tone.ink };
    return markup`<table role="presentation" class="block-band ${colorClass('ground', tone.ground)}" width="100%" cellpadding="0" cellspacing="0" border="0" style="${css({ 'background-color': theme.color[tone.ground].light })}"><tr><td class="vp" style="padding:20px 40px 4px">
${side.flow(flowOf(use), ground)}</td></tr></table>
`;
  },
  text: (use, side) => side.flow(flowOf(use)),
};
