import { colorClass, css, EDGE, INSIDE, markup } from '../html/index.js';
import { flowOf, type Block } from './block.js';

export const card: Block = {
  signature: { name: 'card', args: [], content: 'flow' },
  summary: 'A panel that sets its content off from the page.',
  example: ':::card\nYour place is kept until noon.\n:::',
  html(use, side) {
    const { theme } = side;
    return markup`<table role="presentation" class="block-card ${colorClass('background', 'surface')}" width="100%" cellpadding="0" cellspacing="0" border="0" style="${css({ 'background-color': theme.color.surface.light, 'border-radius': theme.space.radius })}"><tr><td class="vp" style="padding:32px ${EDGE}px">
${side.flow(flowOf(use), { text: 'text', soft: 'soft', link: 'link', size: theme.size.text, width: INSIDE })}</td></tr></table>
`;
  },
  text: (use, side) => side.flow(flowOf(use)),
};
