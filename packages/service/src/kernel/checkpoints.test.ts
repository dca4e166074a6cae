import { existsSync, statSync } from 'node:fs';
import { expect, test } from '@jest/globals';
import Sqlite from 'better-sqlite3';
import type { Logger } from 'pino';
import { Checkpoints } from './checkpoints.js';
import { notesFile } from './test-kernel.js';

const PAGES = 400;
const PAGE = 4096;

/** A file whose log is moved 400 pages at a time, by a thread. @param threadFile what the thread opens, where it is another file */
function filled(threadFile?: string) {
  const warnings: unknown[] = [];
  const log = { warn: (line: unknown) => warnings.push(line) } as unknown as Logger;
  const answered: (() => void)[] = [];
  const { group, ...file } = notesFile({ answered: () => answered.forEach((run) => run()) });
  const checkpoints = new Checkpoints(file.raw, threadFile ?? file.file, log, PAGES);
  answered.push(checkpoints.committed);
  let n = 0;
  return {
    ...file,
    checkpoints,
    warnings,
    /** Pages of the log since it was begun. */
    logged: () => (file.other.pragma('wal_checkpoint(NOOP)') as { log: number }[])[0]?.log,
    /** Pages that the log has room for. */
    logPages: () => statSync(`${file.file}-wal`).size / PAGE,
    /** Commits ten pages and more, some times. */
    write: async (times: number): Promise<void> => {
      for (let i = 0; i < times; i += 1) await group.write(() => file.insert.run(`${(n += 1)} ${'x'.repeat(10 * PAGE)}`));
    },
    count: () => file.other.prepare('select count(*) from notes').pluck().get(),
  };
}

test('while work goes on, the log is begun again and again', async () => {
  const { raw, write, logPages, count, checkpoints } = filled();
  let finished = 0;
  const pragma = raw.pragma.bind(raw);
  raw.pragma = (source: string, ...rest: [Sqlite.PragmaOptions?]) => {
    finished += 1;
    return pragma(source, ...rest);
  };
  for (let i = 0; i < 40; i += 1) {
    await write(20);
    await checkpoints.alone(() => undefined);
  }
  // 8,000 pages and more were written.
  expect(logPages()).toBeLessThan(10 * PAGES);
  expect(finished).toBeGreaterThan(4);
  expect(count()).toBe(800);
  await checkpoints.stop();
});

test('something that reads an older state lets the log grow, and holds nothing up; then it is begun again', async () => {
  const { file, write, logPages, logged, count, checkpoints } = filled();
  const reader = new Sqlite(file, { readonly: true });
  await write(1);
  const rows = reader.prepare('select text from notes').iterate();
  rows.next();
  await write(100);
  await checkpoints.alone(() => undefined);
  expect(logPages()).toBeGreaterThan(2 * PAGES);
  rows.return?.();
  reader.close();
  for (let i = 0; i < 40; i += 1) {
    await write(10);
    await checkpoints.alone(() => undefined);
  }
  expect(logged()).toBeLessThan(3 * PAGES);
  expect(count()).toBe(501);
  await checkpoints.stop();
});

test('where the thread fails, that is in the log, and the connection that writes moves the pages', async () => {
  const { write, logPages, count, checkpoints, warnings } = filled('/nowhere/notes.sqlite');
  for (let i = 0; i < 40; i += 1) {
    await write(20);
    await checkpoints.alone(() => undefined);
  }
  expect(logPages()).toBeLessThan(6 * PAGES);
  expect(warnings).toContainEqual({ err: expect.objectContaining({ message: expect.stringContaining('directory does not exist') }) });
  // Once for each time that the log has grown, not for each look at it.
  expect(warnings.length).toBeLessThan(30);
  expect(count()).toBe(800);
  await checkpoints.stop();
});

test('it stops while the thread is moving, and all is in the file', async () => {
  const { file, raw, other, write, checkpoints } = filled();
  await write(60);
  await checkpoints.stop();
  await write(40);
  raw.close();
  other.close();
  // The last connection is closed: that of the thread was, too.
  expect(existsSync(`${file}-wal`)).toBe(false);
  const again = new Sqlite(file);
  expect(again.prepare('select count(*) from notes').pluck().get()).toBe(100);
  expect(again.pragma('integrity_check', { simple: true })).toBe('ok');
});
