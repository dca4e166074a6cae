import { createHash } from 'node:crypto';
import { afterEach, expect, test } from '@jest/globals';
import { openTestStore, type TestStore } from '../../records/test-store.js';

let store: TestStore;
afterEach(() => store.close());

const addressOf = (text: string): string => createHash('sha256').update(text).digest('hex').slice(0, 20);

test('pictures below assets/ are public, with their own type; nothing else of a mail folder is', async () => {
  store = await openTestStore();
  const files = {
    'mail.yaml': 'name: Saltmarsh Ferries\n',
    'assets/logo.png': 'a picture',
    'assets/terms.pdf': 'a document',
    'templates/welcome/message.md': '# Welcome',
    'templates/welcome/picture.png': 'not an asset',
  };
  await store.editions.publish('harbour', new Map(Object.entries(files).map(([path, text]) => [path, Buffer.from(text)])), 1);
  const found = Object.values(files).map((text) => store.editions.asset(addressOf(text))?.type);
  expect(found).toEqual([undefined, 'image/png', undefined, undefined, undefined]);
});

test('a picture is public as long as an edition has it', async () => {
  store = await openTestStore();
  for (const [n, text] of ['old', 'new', 'newest'].entries())
    await store.editions.publish('harbour', new Map([['assets/logo.png', Buffer.from(text)]]), n + 1);
  expect(store.editions.asset(addressOf('old'))?.bytes.toString()).toBe('old');
  await store.editions.forget({ before: 100, newest: 1, isNeeded: () => false });
  expect([store.editions.asset(addressOf('old')), store.editions.asset(addressOf('newest'))?.bytes.toString()]).toEqual([
    undefined,
    'newest',
  ]);
});
