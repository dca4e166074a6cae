import { appendFileSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, expect, test } from '@jest/globals';
import { HitJournal, type JournalEntry } from './journal.js';

let folder: string;
let file: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'verbalis-hits-'));
  file = join(folder, 'hits');
});
afterEach(() => {
  rmSync(folder, { recursive: true, force: true });
});

const entry = (id: string): Omit<JournalEntry, 'n'> => ({
  id,
  at: 1,
  of: { mode: 'individual', deliveryId: 'd1' },
  index: 1,
  links: 2,
  label: 'Read on',
  block: '',
  url: 'https://saltmarsh-ferries.example/',
  method: 'GET',
  agent: 'Mozilla/5.0 "quoted" \n and broken',
  purpose: '',
  from: 'a',
});
const faults: unknown[] = [];
const opened = (at: string, taken: number): HitJournal => new HitJournal(at, taken, (error) => faults.push(error));
const ids = (journal: HitJournal): string[] => journal.waiting.map(({ id }) => id);

test('what was appended is found again by the next process, in order, after what was taken', async () => {
  const journal = opened(file, 0);
  await Promise.all(['a', 'b', 'c'].map((id) => journal.append(entry(id))));
  const [, second] = journal.waiting;
  // Nothing was closed: the process was killed.
  const next = opened(file, second?.n ?? 0);
  expect(ids(next)).toEqual(['c']);
  expect(next.before.map(({ id }) => id)).toEqual(['a', 'b']);
  await next.append(entry('d'));
  expect(next.waiting.map(({ n }) => n)).toEqual([3, 4]);
  expect(statSync(file).mode & 0o777).toBe(0o600);
  await Promise.all([journal.close(), next.close()]);
});

test('a line that a crash cut off, and lines that are not ours, are nothing; what comes after them counts', async () => {
  const journal = opened(file, 0);
  await journal.append(entry('a'));
  await journal.close();
  const [line = ''] = readFileSync(file, 'utf8').split('\n');
  appendFileSync(file, `${line.slice(0, 40)}\n{"n":7}\nnull\n\0\0\0\n`);
  const next = opened(file, 0);
  await next.append(entry('b'));
  expect(ids(next)).toEqual(['a', 'b']);
  expect(ids(opened(file, 0))).toEqual(['a', 'b']);
  await next.close();
});

test('a crash in the middle of a line does not take the next one with it', async () => {
  const journal = opened(file, 0);
  await journal.append(entry('a'));
  await journal.close();
  writeFileSync(file, `${readFileSync(file, 'utf8')}{"n":2,"id":"cut`);
  const next = opened(file, 0);
  await next.append(entry('b'));
  await next.close();
  expect(ids(opened(file, 0))).toEqual(['a', 'b']);
});

test('places go on after the file was emptied, and after a database that is older than the file', async () => {
  const journal = opened(file, 0);
  await journal.append(entry('a'));
  journal.taken(1);
  await journal.clear();
  expect(readFileSync(file, 'utf8')).toBe('');
  await journal.append(entry('b'));
  expect(journal.waiting[0]?.n).toBe(2);
  await journal.close();
  const restored = opened(file, 0);
  expect(ids(restored)).toEqual(['b']);
  await restored.append(entry('c'));
  expect(restored.waiting.map(({ n }) => n)).toEqual([2, 3]);
  await restored.close();
});

test('nothing that waits is removed', async () => {
  const journal = opened(file, 0);
  await journal.append(entry('a'));
  await journal.clear();
  expect(ids(opened(file, 0))).toEqual(['a']);
  const clearing = (journal.taken(1), journal.clear());
  const appending = journal.append(entry('b'));
  await Promise.all([clearing, appending]);
  expect(ids(opened(file, 1))).toEqual(['b']);
  await journal.close();
});

test('more than memory has room for waits in the file, and comes in order', async () => {
  const journal = opened(file, 0);
  const all = Array.from({ length: 110_000 }, (_, i) => `h${i}`);
  await Promise.all(all.map((id) => journal.append(entry(id))));
  const seen: string[] = [];
  while (seen.length < all.length) {
    await journal.refill();
    const { waiting } = journal;
    if (waiting.length === 0) break;
    expect(waiting.length).toBeLessThanOrEqual(50_000);
    seen.push(...ids(journal));
    // What comes meanwhile is not forgotten, either.
    if (seen.length === 50_000) void journal.append(entry((all.push('late'), 'late')));
    journal.taken(waiting.at(-1)?.n ?? 0);
  }
  expect(seen).toEqual(all);
  await journal.close();
});

test('a file that cannot be read is reported, and nothing waits', () => {
  faults.length = 0;
  expect(ids(opened(folder, 0))).toEqual([]);
  expect(faults).toMatchObject([{ code: 'EISDIR' }]);
});

test('a file that cannot be written is reported to whoever appends, and tried again', async () => {
  const journal = opened(join(folder, 'none', 'hits'), 0);
  await expect(journal.append(entry('a'))).rejects.toThrow(/ENOENT/);
  await expect(journal.append(entry('b'))).rejects.toThrow(/ENOENT/);
  await journal.close();
});
