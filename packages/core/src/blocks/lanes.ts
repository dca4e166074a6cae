import { markup } from '../html/index.js';
import { flowOf, type Block } from './block.js';

const GUTTER = 16;

export const lanes: Block = {
  signature: { name: 'lanes', args: [], content: 'flow' },
  summary:
    'Columns that stand side by side where there is room and stack on a phone, without a media query. In the text part: one after the other.',
  example: ':::lanes\n:::lane\n**Going out**\n\nBrackwater, 08:45\n:::\n:::lane\n**Coming back**\n\nTern Island, 17:30\n:::\n:::',
  html(use, side) {
    const children = flowOf(use);
    // The gutters at both ends stand outside.
    const width = Math.floor((side.background.width + GUTTER) / Math.max(1, children.length));
    const cells = children.map((child, i) => {
      const between = i === 0 ? '' : `<!--[if mso]></td><td width="${width}" valign="top"><![endif]-->`;
      // Without letters of its own, the space between inline blocks takes no width.
      return markup`${between}<div style="display:inline-block;width:100%;max-width:${width}px;vertical-align:top;font-size:${side.background.size}px"><div class="block-lane" style="padding:0 ${GUTTER / 2}px">
${side.flow([child], { width: width - GUTTER })}</div></div>`;
    });
    return markup`<!--[if mso]><table role="presentation" width="100%" cellpadding="0" cellspacing="0" border="0"><tr><td width="${width}" valign="top"><![endif]-->
<div class="block-lanes" style="margin:0 -${GUTTER / 2}px;font-size:0">${cells.flat()}</div>
<!--[if mso]></td></tr></table><![endif]-->
`;
  },
  text: (use, side) => side.flow(flowOf(use)),
};

export const lane: Block = {
  signature: { name: 'lane', args: [], content: 'flow' },
  summary: 'One column of `lanes`.',
  example: ':::lanes\n:::lane\nOne.\n:::\n:::lane\nTwo.\n:::\n:::',
  html: (use, side) => side.flow(flowOf(use)),
  text: (use, side) => side.flow(flowOf(use)),
};
