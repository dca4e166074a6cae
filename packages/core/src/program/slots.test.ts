import { describe, expect, test } from '@jest/globals';
import { md, object, testFolder } from './test-folder.js';

const SCHEMA = object({ name: { type: 'string' }, tags: { type: 'array', items: { type: 'string' } } });
const DATA = { name: 'Ása', tags: ['a', 'b'] };
const PANEL = `---
inputs:
  title: { type: string }
---
**{{ title }}**

::content

:::content aside
Nothing beside {{ title }}.
:::

::content foot`;

const folder = (body: string, block = PANEL) => testFolder(SCHEMA, { 'blocks/panel.md': block, 'templates/t/message.md': md(body) });

describe('a block with places for content', () => {
  test.each([
    [
      'all of them, in any order',
      ':::panel title="T"\n:::slot foot\nFoot {{ name }}.\n:::\nMain.\n:::slot aside\nAside.\n:::\n:::',
      'T\n\nMain.\n\nAside.\n\nFoot Ása.\n',
    ],
    ['what the block has otherwise, with the names of the block', ':::panel title="T"\nMain.\n:::', 'T\n\nMain.\n\nNothing beside T.\n'],
    ['nothing but a slot', ':::panel title="T"\n:::slot aside\nAside.\n:::\n:::', 'T\n\nAside.\n'],
    ['with names of the caller', ':::each tag in tags\n:::panel title="T"\n:::slot aside\n{{ tag }}\n:::\n:::\n:::', 'T\n\na\n\nT\n\nb\n'],
    [
      'a block in a slot of the same block',
      ':::panel title="A"\n:::slot aside\n:::panel title="B"\nIn.\n:::\n:::\n:::',
      'A\n\nB\n\nIn.\n\nNothing beside B.\n',
    ],
  ])('%s', (_, body, expected) => {
    const { problems, render } = folder(body);
    expect(problems.filter(({ severity }) => severity === 'error')).toEqual([]);
    const { html, text } = render(DATA);
    expect(text).toBe(expected);
    for (const line of expected.split('\n').filter((text) => text !== '')) expect(html).toContain(line.replace(/^T$/, '<strong'));
  });

  test.each([
    [':::panel title="T"\n:::slot asid\nX\n:::\n:::', 'unknown-slot', 'Did you mean "aside"'],
    [':::panel title="T"\n:::slot\nX\n:::\n:::', 'missing-argument', 'its first value'],
    [':::panel title="T"\n:::slot foot\nX\n:::\n:::slot foot\nY\n:::\n:::', 'slot-twice', 'given twice'],
    [':::card\n:::slot foot\nX\n:::\n:::', 'slot-here', '"card"'],
    [':::slot foot\nX\n:::', 'slot-here', 'directly inside'],
    [':::panel title="T"\n:::if name\n:::slot foot\nX\n:::\n:::\n:::', 'slot-here', 'directly inside'],
  ])('%j is refused', (body, code, said) => {
    const found = folder(body).problems.find((problem) => problem.code === code);
    expect(`${found?.message} ${found?.hint}`).toContain(said);
  });

  test.each([
    ['::content aside\n\n::content aside', 'slot-twice'],
    ['::content {{ title }}', 'slot-name'],
  ])('a block that has %j is refused', (source, code) => {
    expect(folder('X', `---\ninputs:\n  title: { type: string }\n---\n${source}`).codes).toContain(code);
  });
});
