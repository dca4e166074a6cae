import { markup } from '../html/index.js';
import type { Block } from './block.js';

export const gap: Block = {
  signature: { name: 'gap', args: [{ name: 'height', kind: 'number', summary: 'in pixels; 24 when left out' }], content: 'none' },
  summary: 'Empty space. In the text part: nothing, since blocks are set apart anyway.',
  example: '::gap height=32',
  html(use, side) {
    const height = side.word(use, 'height', '24');
    return markup`<div class="block-gap" style="height:${height}px;line-height:${height}px;font-size:1px">&nbsp;</div>
`;
  },
  text: () => [],
};
