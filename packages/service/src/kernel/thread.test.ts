import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { afterAll, expect, test } from '@jest/globals';
import { boundedThread, startThread, ThreadFault, threadFile } from './thread.js';

// Threads run what was built: the sources say where that is.
const built = threadFile(import.meta.url, './thread.js');
const file = join(mkdtempSync(join(tmpdir(), 'verbalis-thread-')), 'other.mjs');
writeFileSync(
  file,
  `import { inThread } from ${JSON.stringify(pathToFileURL(built).href)};
inThread((remote, data) => ({
  double: (n) => n * 2,
  data: () => data,
  ask: async (n) => (await remote.call('half', n)) + 1,
  fail: () => { throw new TypeError('not like this'); },
  spin: () => { for (;;); },
  hoard: () => { const all = []; for (;;) all.push(new Array(1e5).fill(Math.random())); },
  exit: () => process.exit(3),
  unclonable: () => () => 1,
}));`,
);
const bounded = boundedThread(file, { name: 'bounded', memoryMb: 64, limitMs: 1500, idleMs: 60_000 });
afterAll(() => bounded.stop());

test('the built file of a module', () => {
  expect(built).toBe(fileURLToPath(new URL('../../dist/kernel/thread.js', import.meta.url)));
});

test('calls go both ways, many at once, and errors come back as errors', async () => {
  const thread = startThread(file, { name: 'other', data: { a: [1] }, methods: { half: (n: number) => n / 2 } });
  expect(await Promise.all([1, 2, 3].map((n) => thread.call('double', n)))).toEqual([2, 4, 6]);
  expect(await thread.call('data', undefined)).toEqual({ a: [1] });
  expect(await thread.call('ask', 10)).toBe(6);
  await expect(thread.call('fail', 0)).rejects.toThrow('not like this');
  await expect(thread.call('nothing', 0)).rejects.toThrow('There is no method "nothing"');
  // What cannot be cloned fails alone, whichever way it goes.
  const mixed = await Promise.allSettled([thread.call('double', 1), thread.call('double', () => 1), thread.call('unclonable', 0)]);
  expect(mixed.map((promiseSettledResult) => promiseSettledResult.status)).toEqual(['fulfilled', 'rejected', 'rejected']);
  await thread.terminate();
  await expect(thread.call('double', 1)).rejects.toBeInstanceOf(ThreadFault);
});

test('calls under way when a thread ends fail, and its owner is notified', async () => {
  const ended: string[] = [];
  const thread = startThread(file, { name: 'other', ended: (why) => ended.push(why) });
  await expect(thread.call('exit', 0)).rejects.toThrow('The thread "other" ended.');
  expect(ended).toEqual(['The thread "other" ended.']);
});

test('past its time or its memory a piece of work is refused, and the next one is done by a new thread', async () => {
  await expect(bounded.call('spin', 0)).rejects.toThrow('It took longer than 1.5 seconds.');
  expect(await bounded.call('double', 4)).toBe(8);
  await expect(bounded.call('hoard', 0)).rejects.toThrow(/memory|longer/);
  expect(await Promise.all([1, 2].map((n) => bounded.call('double', n)))).toEqual([2, 4]);
  await expect(bounded.call('fail', 0)).rejects.toThrow('not like this');
});
