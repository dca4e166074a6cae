import { fixed, markup } from '../html/index.js';
import type { Block } from './block.js';
import { textClass, letters } from './style.js';

export const postal: Block = {
  signature: { name: 'postal', args: [], content: 'raw' },
  summary: 'A postal address: each line stays a line.',
  example: ':::postal\nSaltmarsh Ferries\nPier 1\nBrackwater\n:::',
  html(use, side) {
    if (use.content.mode !== 'raw') return [];
    const { theme, background } = side;
    const parts = side.pieces(use.content.pieces, (text) => fixed(text).replace(/\n/g, '<br>\n'));
    return markup`<address class="block-postal ${textClass(background.text)}" style="margin:0 0 16px;font-style:normal;${letters(theme, background.text, background.size)}">${parts}</address>
`;
  },
  text(use, side) {
    if (use.content.mode !== 'raw') return [];
    return [{ op: 'lines', body: side.pieces(use.content.pieces, (text) => text) }];
  },
};
