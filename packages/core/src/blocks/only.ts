import { flowOf, type Block } from './block.js';

export const only: Block = {
  signature: {
    name: 'only',
    first: { name: 'part', kind: 'choice', choices: ['html', 'text'], required: true, summary: 'html or text' },
    args: [],
    content: 'flow',
  },
  summary: 'Content of one of the two parts only.',
  example: ':::only html\nSeen in the HTML part.\n:::',
  html: (use, side) => (side.single && side.word(use, undefined, '') === 'html' ? side.flow(flowOf(use)) : []),
  text: (use, side) => (side.single && side.word(use, undefined, '') === 'text' ? side.flow(flowOf(use)) : []),
};

export const raw: Block = {
  signature: {
    name: 'raw',
    first: { name: 'part', kind: 'choice', choices: ['html'], required: true, summary: 'html' },
    args: [],
    content: 'raw',
  },
  summary:
    'HTML as it stands, for what no block makes: every element closed, no scripts and forms, values in its texts only. The text part says what it says.',
  example: ':::raw html\n<p style="margin:0 0 16px">As it stands.</p>\n:::',
  html: (use, side) => (use.content.mode === 'raw' ? side.raw(use.content.pieces) : []),
  text: (use, side) => (use.content.mode === 'raw' ? side.raw(use.content.pieces) : []),
};
