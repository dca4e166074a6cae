import {
  closeSync,
  existsSync,
  fdatasyncSync,
  fsyncSync,
  ftruncateSync,
  mkdirSync,
  openSync,
  readdirSync,
  readSync,
  statSync,
  writeSync,
} from 'node:fs';
import { join } from 'node:path';
import { crc32 } from 'node:zlib';
import * as z from 'zod';
import { StartError, syncFile, type ChangeRecord } from '../../kernel/index.js';

// A log of changes as files, JSON Lines: a head that names the tables, then a line for each group of transactions.

const NAME = /^log-(\d{16})\.jsonl$/;
const nameOf = (seq: number): string => `log-${String(seq).padStart(16, '0')}.jsonl`;
/** A file is followed by another one when it has so many bytes. */
const FILE_BYTES = 64 * 1024 * 1024;
const CHUNK = 1 << 20;

const Head = z.strictObject({
  format: z.literal(1),
  product: z.literal('verbalis'),
  lineage: z.string(),
  /** The layout of the tables, as a manifest has it. */
  layout: z.int(),
  tables: z.record(z.string(), z.strictObject({ columns: z.array(z.string()).readonly(), key: z.array(z.string()).readonly() })),
});
export type Head = z.infer<typeof Head>;

const sumOf = (text: string): string => crc32(text).toString(16).padStart(8, '0');

/** A record as a line. */
function lineOf({ seq, at, changes }: ChangeRecord): string {
  return `{"seq":${seq},"at":${at},"crc32":"${sumOf(changes)}","changes":${changes}}\n`;
}

const LINE = /^\{"seq":(\d+),"at":(-?\d+),"crc32":"([0-9a-f]{8})","changes":/;

/** @returns undefined where it is not what was written */
function recordOf(line: string): ChangeRecord | undefined {
  const found = LINE.exec(line);
  if (found === null || !line.endsWith('}')) return undefined;
  const changes = line.slice(found[0].length, -1);
  return sumOf(changes) === found[3] ? { seq: Number(found[1]), at: Number(found[2]), changes } : undefined;
}

/** The files of a log, in order, with the first record of each. */
export function logFiles(folder: string): { readonly file: string; readonly from: number }[] {
  if (!existsSync(folder)) return [];
  return readdirSync(folder)
    .flatMap((name) => {
      const seq = NAME.exec(name)?.[1];
      return seq === undefined ? [] : [{ file: join(folder, name), from: Number(seq) }];
    })
    .sort((a, b) => a.from - b.from);
}

/** Lines of a file with the place at which each ends; a last line without an end is left out. */
function* linesOf(file: string): Generator<{ readonly line: string; readonly end: number }> {
  const fd = openSync(file, 'r');
  try {
    const buffer = Buffer.alloc(CHUNK);
    let rest: Buffer[] = [];
    let end = 0;
    for (let n = readSync(fd, buffer); n > 0; n = readSync(fd, buffer)) {
      let from = 0;
      for (let at = buffer.subarray(0, n).indexOf(10); at !== -1; at = buffer.subarray(0, n).indexOf(10, from)) {
        const bytes = Buffer.concat([...rest, buffer.subarray(from, at)]);
        rest = [];
        from = at + 1;
        end += bytes.length + 1;
        yield { line: bytes.toString('utf8'), end };
      }
      rest.push(Buffer.from(buffer.subarray(from, n)));
    }
  } finally {
    closeSync(fd);
  }
}

function headOf(line: string | undefined): Head | undefined {
  try {
    return Head.parse(JSON.parse(line ?? ''));
  } catch {
    return undefined;
  }
}

/** The head of a file. @throws StartError */
export function readHead(file: string): Head {
  for (const { line } of linesOf(file)) {
    const head = headOf(line);
    if (head !== undefined) return head;
    break;
  }
  throw new StartError(`${file} is not a log of changes of Verbalis.`);
}

/**
 * The records of a log after one, in order. A line that is damaged or incomplete at the end of a file is no fault: it was being written, and the
 * next file begins with it.
 * @throws StartError where a record is missing or damaged before others that are whole
 */
export function* readLog(folder: string, after: number): Generator<ChangeRecord> {
  const files = logFiles(folder);
  let seq = after;
  for (const [i, { file, from }] of files.entries()) {
    const next = files[i + 1]?.from;
    if (next !== undefined && next <= after + 1) continue;
    if (from > seq + 1) throw new StartError(`A file is missing before ${file}: record ${seq + 1} is in none.`);
    let isHead = true;
    let fault: string | undefined;
    for (const { line } of linesOf(file)) {
      if (isHead) {
        isHead = false;
        if (headOf(line) === undefined) throw new StartError(`${file} is not a log of changes of Verbalis.`);
        continue;
      }
      const record = recordOf(line);
      if (record === undefined) {
        fault ??= `${file} is damaged after record ${seq}. Restore to a time before that (--at), or from a newer snapshot.`;
        continue;
      }
      if (record.seq <= seq) continue;
      // Where it goes on in the next file, that is read in place of it.
      if (fault !== undefined && (next === undefined || next > seq + 1)) throw new StartError(fault);
      if (fault !== undefined) break;
      if (record.seq !== seq + 1) throw new StartError(`Record ${seq + 1} is missing in ${file}.`);
      seq = record.seq;
      yield record;
    }
    if (fault !== undefined && next !== undefined && next > seq + 1) throw new StartError(fault);
  }
}

/** The last whole record of a log, and where it ends in its file; undefined where there is no file. */
function endOf(folder: string): { readonly file: string; readonly seq: number; readonly end: number; readonly size: number } | undefined {
  const last = logFiles(folder).at(-1);
  if (last === undefined) return undefined;
  let [seq, whole, isHead] = [last.from - 1, 0, true];
  for (const { line, end } of linesOf(last.file)) {
    const record = isHead ? undefined : recordOf(line);
    if (isHead ? headOf(line) === undefined : record === undefined) break;
    isHead = false;
    whole = end;
    seq = record?.seq ?? seq;
  }
  return { file: last.file, seq, end: whole, size: statSync(last.file).size };
}

/** A log that is written to. After a fault it is to be opened again. */
export interface LogWriter {
  /** The last record that is on the disk. */
  readonly last: () => number;
  /** Writes records and waits for the disk. */
  readonly append: (records: readonly ChangeRecord[]) => void;
  /** The next record begins another file. */
  readonly turn: () => void;
  readonly close: () => void;
}

/** Opens a log, behind its last whole record. @returns undefined where there is none */
export function openLog(folder: string, head: Head): LogWriter | undefined {
  const end = endOf(folder);
  return end === undefined ? undefined : writer(folder, head, end);
}

/** Begins a log. @param from the record before its first */
export function beginLog(folder: string, head: Head, from: number): LogWriter {
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  return writer(folder, head, { seq: from });
}

interface Begun {
  readonly file?: string;
  readonly seq: number;
  readonly end?: number;
  readonly size?: number;
}

function writer(folder: string, head: Head, { file, seq, end = 0, size = 0 }: Begun): LogWriter {
  let fd: number | undefined;
  let [last, written] = [seq, end];
  if (file !== undefined && end > 0) {
    fd = openSync(file, 'r+');
    if (size > end) ftruncateSync(fd, end);
  }
  const close = (): void => {
    if (fd !== undefined) closeSync(fd);
    fd = undefined;
  };
  const open = (first: number): number => {
    const name = join(folder, nameOf(first));
    // The file was never finished: it has no complete record.
    const opened = openSync(name, 'w', 0o600);
    const text = `${JSON.stringify(head)}\n`;
    writeSync(opened, text);
    fsyncSync(opened);
    syncFile(folder);
    written = Buffer.byteLength(text);
    return opened;
  };
  return {
    last: () => last,
    append: (records) => {
      const [first] = records;
      if (first === undefined) return;
      if (written >= FILE_BYTES) close();
      fd ??= open(first.seq);
      const bytes = Buffer.from(records.map(lineOf).join(''));
      for (let at = 0; at < bytes.length;) at += writeSync(fd, bytes, at, bytes.length - at, written + at);
      fdatasyncSync(fd);
      written += bytes.length;
      last = records.at(-1)?.seq ?? last;
    },
    turn: close,
    close,
  };
}
