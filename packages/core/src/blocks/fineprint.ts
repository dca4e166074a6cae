import { EDGE, INSIDE, markup } from '../html/index.js';
import { flowOf, type Block } from './block.js';

export const fineprint: Block = {
  signature: { name: 'fineprint', args: [], content: 'flow' },
  summary: 'Small print at the end: who writes, why, and where to turn to.',
  example: ':::fineprint\nSaltmarsh Ferries, Pier 1, Brackwater\n:::',
  html: (
    use,
    side,
  ) => markup`<table role="presentation" class="block-fineprint" width="100%" cellpadding="0" cellspacing="0" border="0"><tr><td class="vp" style="padding:20px ${EDGE}px 0">
${side.flow(flowOf(use), { text: 'soft', soft: 'soft', link: 'soft', size: side.theme.size.small, width: INSIDE })}</td></tr></table>
`,
  // The usual mark of a signature, with its text right under it: clients fold it away (RFC 3676, 4.3).
  text: (use, side) => [
    {
      op: 'stack',
      body: [
        { op: 'lines', body: ['-- '] },
        { op: 'inset', first: '', rest: '', body: side.flow(flowOf(use)) },
      ],
    },
  ],
};
