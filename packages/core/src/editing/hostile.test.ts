import { expect, test } from '@jest/globals';
import { complete, importHtml } from './index.js';
import { scaled } from '../../../../tests/support/scale.js';
import { opened } from './test-folder.js';

const importing = (text: string): unknown => importHtml({ text, placeholders: ['%name%'], beside: () => undefined });

test('a page of many elements beside each other, or within each other, is imported', () => {
  const many = scaled(30_000, 150_000);
  for (const text of ['<p>x</p>'.repeat(many), '<div>'.repeat(many)]) expect(importing(text)).toMatchObject({ notes: [] });
  expect(importing('{{ '.repeat(many))).toMatchObject({ values: new Map() });
});

test('a completion deep in a long source is answered', () => {
  const { folder, path, offset } = opened({
    'templates/t/message.md': `---\nsubject: S\n---\n${'x {{ passenger.name }}\n\n'.repeat(2000)}{{ passenger.¦`,
  });
  expect(complete(folder, path, offset).map(({ label }) => label)).toEqual(['name', 'since']);
});
