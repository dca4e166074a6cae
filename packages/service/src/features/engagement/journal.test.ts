import { appendFileSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, expect, test } from '@jest/globals';
import { Backlog } from './backlog.js';
import { JournalFile, type NewEntry } from './journal.js';

let folder: string;
let file: string;
const open = new Set<JournalFile>();
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'verbalis-hits-'));
  file = join(folder, 'hits');
  faults.length = 0;
});
afterEach(() => {
  for (const journal of open) journal.close();
  open.clear();
  rmSync(folder, { recursive: true, force: true });
});

const entry = (id: string): NewEntry => ({
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
/** As the service has both in one thread. */
function opened(at: string, taken: number, most?: number): { readonly backlog: Backlog; readonly journal: JournalFile } {
  const backlog = new Backlog(at, taken, (error) => faults.push(error), most);
  const journal = new JournalFile(at, backlog.last, (entries) => backlog.add(entries));
  open.add(journal);
  return { backlog, journal };
}
const ids = ({ backlog }: { readonly backlog: Backlog }): string[] => backlog.waiting.map(({ id }) => id);

test('what was appended is found again by the next process, in order, after what was taken', async () => {
  const { backlog, journal } = opened(file, 0);
  await Promise.all(['a', 'b', 'c'].map((id) => journal.append(entry(id))));
  const [, second] = backlog.waiting;
  // Nothing was closed: the process was killed.
  const next = opened(file, second?.n ?? 0);
  expect(ids(next)).toEqual(['c']);
  expect(next.backlog.before.map(({ id }) => id)).toEqual(['a', 'b']);
  await next.journal.append(entry('d'));
  expect(next.backlog.waiting.map(({ n }) => n)).toEqual([3, 4]);
  expect(statSync(file).mode & 0o777).toBe(0o600);
});

test('a line that a crash cut off, and lines that are not ours, are nothing; what comes after them counts', async () => {
  const { journal } = opened(file, 0);
  await journal.append(entry('a'));
  const [line = ''] = readFileSync(file, 'utf8').split('\n').filter(Boolean);
  appendFileSync(file, `${line.slice(0, 40)}\n{"n":7}\nnull\n\0\0\0\n`);
  const next = opened(file, 0);
  await next.journal.append(entry('b'));
  expect(ids(next)).toEqual(['a', 'b']);
  expect(ids(opened(file, 0))).toEqual(['a', 'b']);
});

test('a crash in the middle of a line does not take the next one with it', async () => {
  await opened(file, 0).journal.append(entry('a'));
  writeFileSync(file, `${readFileSync(file, 'utf8')}{"n":2,"id":"cut`);
  await opened(file, 0).journal.append(entry('b'));
  expect(ids(opened(file, 0))).toEqual(['a', 'b']);
});

test('places go on after the file was emptied, and after a database that is older than the file', async () => {
  const { backlog, journal } = opened(file, 0);
  await journal.append(entry('a'));
  backlog.taken(1);
  await backlog.clear(journal);
  expect(readFileSync(file, 'utf8')).toBe('');
  await journal.append(entry('b'));
  expect(backlog.waiting[0]?.n).toBe(2);
  const restored = opened(file, 0);
  expect(ids(restored)).toEqual(['b']);
  await restored.journal.append(entry('c'));
  expect(restored.backlog.waiting.map(({ n }) => n)).toEqual([2, 3]);
});

test('nothing that waits is removed', async () => {
  const { backlog, journal } = opened(file, 0);
  await journal.append(entry('a'));
  await backlog.clear(journal);
  expect(ids(opened(file, 0))).toEqual(['a']);
  backlog.taken(1);
  await Promise.all([backlog.clear(journal), journal.append(entry('b'))]);
  expect(ids(opened(file, 1))).toEqual(['b']);
});

test('what was written in a thread and is not reported yet is not removed', async () => {
  const backlog = new Backlog(file, 0, (error) => faults.push(error));
  const reported: Parameters<Backlog['add']>[0][] = [];
  const journal = new JournalFile(file, 0, (entries) => reported.push(entries));
  open.add(journal);
  await journal.append(entry('a'));
  backlog.add(reported.splice(0).flat());
  await journal.append(entry('b'));
  backlog.taken(1);
  await backlog.clear(journal);
  backlog.add(reported.splice(0).flat());
  expect(ids({ backlog })).toEqual(['b']);
  expect(ids(opened(file, 1))).toEqual(['b']);
  backlog.taken(2);
  await backlog.clear(journal);
  expect(readFileSync(file, 'utf8')).toBe('');
});

test('what a thread wrote before its end and never reported is found in the file, once', async () => {
  const { backlog, journal } = opened(file, 0);
  await journal.append(entry('a'));
  const ended = new JournalFile(file, 1, () => undefined);
  open.add(ended);
  await ended.append(entry('unreported'));
  backlog.missed();
  const next = new JournalFile(file, 2, (entries) => backlog.add(entries));
  open.add(next);
  await next.append(entry('c'));
  expect(ids({ backlog })).toEqual(['a']);
  backlog.taken(1);
  await backlog.clear(next);
  backlog.refill();
  expect(ids({ backlog })).toEqual(['unreported', 'c']);
});

const MOST = 5000;
test('more than memory has room for waits in the file, and comes in order', async () => {
  const { backlog, journal } = opened(file, 0, MOST);
  const all = Array.from({ length: 2.2 * MOST }, (_, i) => `h${i}`);
  await Promise.all(all.map((id) => journal.append(entry(id))));
  const seen: string[] = [];
  while (seen.length < all.length) {
    backlog.refill();
    const { waiting } = backlog;
    if (waiting.length === 0) break;
    expect(waiting.length).toBeLessThanOrEqual(MOST);
    seen.push(...ids({ backlog }));
    // What comes meanwhile is not forgotten, either.
    if (seen.length === MOST) await journal.append(entry((all.push('late'), 'late')));
    backlog.taken(waiting.at(-1)?.n ?? 0);
  }
  expect(seen).toEqual(all);
});

test('a file that cannot be read is reported, and nothing waits', () => {
  expect(ids(opened(folder, 0))).toEqual([]);
  expect(faults).toMatchObject([{ code: 'EISDIR' }]);
});

test('a file that cannot be written is reported to whoever appends, and tried again', async () => {
  const { journal } = opened(join(folder, 'none', 'hits'), 0);
  await expect(journal.append(entry('a'))).rejects.toThrow(/ENOENT/);
  await expect(journal.append(entry('b'))).rejects.toThrow(/ENOENT/);
});
