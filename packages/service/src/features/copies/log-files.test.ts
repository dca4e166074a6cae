import { mkdtempSync, readFileSync, rmSync, statSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, test } from '@jest/globals';
import type { ChangeRecord } from '../../kernel/index.js';
import { beginLog, logFiles, openLog, readHead, readLog, type Head } from './log-files.js';

const root = mkdtempSync(join(tmpdir(), 'verbalis-log-'));
afterAll(() => {
  rmSync(root, { recursive: true, force: true });
});
let folders = 0;
const newFolder = (): string => join(root, String((folders += 1)));
const HEAD: Head = { format: 1, product: 'verbalis', lineage: 'f'.repeat(16), layout: 1, tables: { t: { columns: ['id'], key: ['id'] } } };
const record = (seq: number): ChangeRecord => ({ seq, at: 1000 + seq, changes: `[["+","t","é ${seq}\\n"]]` });
const records = (from: number, to: number): ChangeRecord[] => Array.from({ length: to - from + 1 }, (_, i) => record(from + i));
const read = (folder: string, after = 0): number[] => [...readLog(folder, after)].map(({ seq }) => seq);
const only = (folder: string): string => logFiles(folder)[0]?.file ?? '';

test('records come back as they were written, from where they are wanted', () => {
  const folder = newFolder();
  const log = beginLog(folder, HEAD, 4);
  log.append(records(5, 7));
  log.turn();
  log.append(records(8, 9));
  log.close();
  expect([...readLog(folder, 4)]).toEqual(records(5, 9));
  expect(read(folder, 7)).toEqual([8, 9]);
  expect(readHead(only(folder))).toEqual(HEAD);
  for (const { file } of logFiles(folder)) expect(statSync(file).mode & 0o777).toBe(0o600);
});

test('a log that was cut anywhere goes on, and has every record once', () => {
  const whole = newFolder();
  const first = beginLog(whole, HEAD, 0);
  first.append(records(1, 4));
  first.close();
  const { size } = statSync(only(whole));
  const text = readFileSync(only(whole));
  for (let cut = 0; cut <= size; cut += 1) {
    const folder = newFolder();
    beginLog(folder, HEAD, 0).append([record(1)]);
    writeFileSync(only(folder), text);
    truncateSync(only(folder), cut);
    const log = openLog(folder, HEAD);
    const last = log?.last() ?? -1;
    expect(last).toBeLessThanOrEqual(4);
    log?.append(records(last + 1, 6));
    log?.close();
    expect(read(folder)).toEqual([1, 2, 3, 4, 5, 6]);
  }
});

test('what was cut off and goes on in another file is read once', () => {
  const folder = newFolder();
  const log = beginLog(folder, HEAD, 0);
  log.append(records(1, 3));
  log.turn();
  log.append(records(3, 5));
  log.close();
  truncateSync(only(folder), statSync(only(folder)).size - 5);
  expect(read(folder)).toEqual([1, 2, 3, 4, 5]);
});

test.each([
  ['a flipped bit before others', (text: string) => text.replace('é 2', 'é 3')],
  [
    'a line that is missing',
    (text: string) =>
      text
        .split('\n')
        .filter((_line, i) => i !== 2)
        .join('\n'),
  ],
  ['another file', () => '{"format":1}\n'],
])('%s is a fault and not skipped', (_name, change) => {
  const folder = newFolder();
  const log = beginLog(folder, HEAD, 0);
  log.append(records(1, 4));
  log.close();
  writeFileSync(only(folder), change(readFileSync(only(folder), 'utf8')));
  expect(() => read(folder)).toThrow(/is damaged after record 1|Record 2 is missing|is not a log of changes/);
});

test('a file that is missing is a fault', () => {
  const folder = newFolder();
  const log = beginLog(folder, HEAD, 0);
  for (const seq of [1, 2, 3]) {
    log.append([record(seq)]);
    log.turn();
  }
  rmSync(logFiles(folder)[1]?.file ?? '');
  expect(() => read(folder)).toThrow('record 2 is in none');
});
