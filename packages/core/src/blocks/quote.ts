import { colorClass, markup } from '../html/index.js';
import { flowOf, type Block } from './block.js';
import { textClass, letters } from './style.js';

/** Line and padding at its side, in CSS pixels. */
const EDGES = 19;

export const quote: Block = {
  signature: { name: 'quote', args: [{ name: 'by', kind: 'text', summary: 'who said it' }], content: 'flow' },
  summary: 'A quotation, with its source.',
  example: ':::quote by="Maren Holt, purser"\nI found it under the bench by the bow.\n:::',
  html(use, side) {
    const { theme, background, direction } = side;
    const near = direction === 'rtl' ? 'right' : 'left';
    const by = side.argument(use, 'by');
    const whose =
      by === undefined
        ? []
        : markup`<p class="${textClass(background.soft)}" style="margin:0 0 4px;${letters(theme, background.soft, theme.size.small)}">${side.parts(by.parts)}</p>
`;
    return markup`<blockquote class="block-quote ${colorClass('line', 'accent')}" style="margin:0 0 20px;padding:4px 0 0;padding-${near}:16px;border-${near}:3px solid ${theme.color.accent.light}">
${side.flow(flowOf(use), { width: background.width - EDGES })}${whose}</blockquote>
`;
  },
  text(use, side) {
    const by = side.argument(use, 'by');
    const whose = by === undefined ? [] : [{ op: 'paragraph' as const, body: ['-- ', ...side.parts(by.parts)] }];
    return [{ op: 'inset', first: '> ', rest: '> ', body: [...side.flow(flowOf(use)), ...whose] }];
  },
};
