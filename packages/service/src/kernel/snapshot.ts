import { createHash } from 'node:crypto';
import { closeSync, existsSync, fsyncSync, openSync, readFileSync, readSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import Sqlite from 'better-sqlite3';
import * as z from 'zod';
import { layoutNumber, layoutOf } from './change-layout.js';
import type { Clock } from './clock.js';
import { startErrorOf } from './start-error.js';
import { boundedThread, threadFile } from './thread.js';
import { StartError } from './unavailable.js';

/** What is written beside a copy of the database: what it is, and how to see that it is whole. */
export const Manifest = z.strictObject({
  format: z.literal(1),
  product: z.literal('verbalis'),
  /** The copy has everything that was committed before this date, … */
  asOf: z.iso.datetime(),
  /** … and nothing of after this one. */
  upTo: z.iso.datetime(),
  bytes: z.int().positive(),
  sha256: z.string().regex(/^[0-9a-f]{64}$/),
  /** The layout of the tables: when the last of its migrations was made. */
  layout: z.int(),
  /** The secrets that it needs, as they are known: see Secrets.fingerprint. */
  secrets: z.string().optional(),
  /** The lineage of its changes, and the last record that is in it. */
  lineage: z.string().optional(),
  sequence: z.int().min(0),
  /** Rows of each table. */
  rows: z.record(z.string(), z.int()),
});
export type Manifest = z.infer<typeof Manifest>;

export const manifestFile = (copy: string): string => `${copy}.json`;

const CHUNK = 1 << 20;

/** SHA-256 of a file, in hex. */
function hashOfFile(file: string): string {
  const hash = createHash('sha256');
  const fd = openSync(file, 'r');
  try {
    const buffer = Buffer.alloc(CHUNK);
    for (let n = readSync(fd, buffer); n > 0; n = readSync(fd, buffer)) hash.update(buffer.subarray(0, n));
  } finally {
    closeSync(fd);
  }
  return hash.digest('hex');
}

/** What was written to a file or a folder is on the disk. */
export function syncFile(path: string): void {
  const fd = openSync(path, 'r');
  try {
    fsyncSync(fd);
  } finally {
    closeSync(fd);
  }
}

/** Writes a small file that only its owner reads, whole or not at all. */
export function writeWhole(file: string, text: string | Uint8Array): void {
  const part = `${file}.part`;
  writeFileSync(part, text, { mode: 0o600, flush: true });
  renameSync(part, file);
  syncFile(dirname(file));
}

/** Faults of a database file, in sentences; none where it is whole. */
export function faultsOfFile(raw: Sqlite.Database): string[] {
  const found = (raw.pragma('integrity_check(20)') as { integrity_check: string }[]).map((row) => row.integrity_check);
  const dangling = raw.pragma('foreign_key_check') as { table: string; parent: string }[];
  const byTable = new Map<string, number>();
  for (const { table, parent } of dangling) byTable.set(`${table} → ${parent}`, (byTable.get(`${table} → ${parent}`) ?? 0) + 1);
  return [
    ...(found.length === 1 && found[0] === 'ok' ? [] : found.map((text) => `SQLite: ${text}`)),
    ...[...byTable].map(([name, n]) => `SQLite: ${n} rows refer to rows that do not exist (${name})`),
  ];
}

/** Rows of each table. */
function rowsOf(raw: Sqlite.Database): Record<string, number> {
  return Object.fromEntries(
    Object.keys(layoutOf(raw)).map((table) => [table, raw.prepare(`select count(*) from "${table}"`).pluck().get() as number]),
  );
}

interface State {
  readonly lineage: string | null;
  readonly secrets: string | null;
}

/** What a copy is, read from itself. @throws Error where it is not whole */
function describe(file: string, { asOf, upTo }: { readonly asOf: number; readonly upTo: number }): Manifest {
  const raw = new Sqlite(file, { readonly: true });
  try {
    const faults = faultsOfFile(raw);
    if (faults.length > 0) throw new StartError(`The copy is not whole, and was removed. ${faults.slice(0, 5).join('; ')}`);
    const state = raw.prepare('select lineage, secrets from kernel_state').get() as State | undefined;
    const sequence = raw.prepare("select seq from sqlite_sequence where name = 'change_log'").pluck().get() as number | undefined;
    return {
      format: 1,
      product: 'verbalis',
      asOf: new Date(asOf).toISOString(),
      upTo: new Date(upTo).toISOString(),
      bytes: statSync(file).size,
      sha256: hashOfFile(file),
      layout: layoutNumber(raw),
      ...(typeof state?.secrets === 'string' ? { secrets: state.secrets } : {}),
      ...(typeof state?.lineage === 'string' ? { lineage: state.lineage } : {}),
      sequence: sequence ?? 0,
      rows: rowsOf(raw),
    };
  } finally {
    raw.close();
  }
}

/**
 * Copies a database, also while a service writes to it: what was committed when it began is in the copy, and nothing of later. The copy is read
 * again before it gets its name; beside it lies its manifest. Both belong to their owner alone. It blocks: use it in a thread of its own.
 * @param asOf the date now, in milliseconds since the epoch
 * @throws StartError with what to do
 */
export function takeSnapshot(file: string, to: string, asOf: number): Manifest {
  const part = `${to}.part`;
  try {
    if (existsSync(to)) throw new StartError(`${to} exists already. Name a file that does not.`);
    rmSync(part, { force: true });
    closeSync(openSync(part, 'wx', 0o600));
    const raw = new Sqlite(file, { readonly: true, fileMustExist: true, timeout: 5000 });
    const begun = performance.now();
    try {
      raw.prepare('vacuum into ?').run(part);
    } finally {
      raw.close();
    }
    const manifest = describe(part, { asOf, upTo: Math.ceil(asOf + performance.now() - begun) });
    syncFile(part);
    writeWhole(manifestFile(to), `${JSON.stringify(manifest, null, 2)}\n`);
    renameSync(part, to);
    syncFile(dirname(to));
    return manifest;
  } catch (error) {
    rmSync(part, { force: true });
    throw startErrorOf(error, file);
  }
}

/** The manifest beside a copy. @throws StartError */
export function readManifest(copy: string): Manifest {
  const file = manifestFile(copy);
  let text: string;
  try {
    text = readFileSync(file, 'utf8');
  } catch (error) {
    throw new StartError(
      `The manifest ${file} cannot be read: ${(error as Error).message}. Without it, it is unknown whether the copy is complete.`,
    );
  }
  try {
    return Manifest.parse(JSON.parse(text));
  } catch {
    throw new StartError(`${file} is not a manifest of a copy of Verbalis.`);
  }
}

/** Reads a copy and holds it against its manifest. @throws StartError where it is not what was written */
export function verifyCopy(copy: string): Manifest {
  const manifest = readManifest(copy);
  if (!existsSync(copy)) throw new StartError(`There is a manifest but no copy at ${copy}.`);
  const { size } = statSync(copy);
  if (size !== manifest.bytes) throw new StartError(`${copy} has ${size} bytes; ${manifest.bytes} were written. It is not whole.`);
  if (hashOfFile(copy) !== manifest.sha256)
    throw new StartError(`${copy} is not what was written: its SHA-256 differs from the manifest's.`);
  const raw = new Sqlite(copy, { readonly: true });
  try {
    const faults = faultsOfFile(raw);
    if (faults.length > 0) throw new StartError(`${copy} is damaged. ${faults.slice(0, 5).join('; ')}`);
    const rows = rowsOf(raw);
    for (const [table, n] of Object.entries(manifest.rows))
      if (rows[table] !== n) throw new StartError(`${copy} has ${rows[table] ?? 0} rows in ${table}; ${n} were written.`);
  } finally {
    raw.close();
  }
  return manifest;
}

/** Ends the writing of a copy that is to be used: it is one file, on the disk. @throws StartError where it is not whole */
export function settleCopy(file: string): void {
  const raw = new Sqlite(file);
  try {
    // Opening it before a service runs on it leaves no files beside it.
    raw.pragma('journal_mode = DELETE');
    const faults = faultsOfFile(raw);
    if (faults.length > 0) throw new StartError(`What was restored is not whole. ${faults.slice(0, 5).join('; ')}`);
  } finally {
    raw.close();
  }
  syncFile(file);
}

/** A copy of a large database may take so long, in milliseconds. */
const SNAPSHOT_MS = 6 * 3_600_000;
const IDLE_MS = 10_000;

/** Takes copies in a thread of its own. */
export function snapshotThread(
  file: string,
  clock: Clock,
): { readonly take: (to: string) => Promise<Manifest>; readonly stop: () => Promise<void> } {
  const thread = boundedThread(threadFile(import.meta.url, 'snapshot-thread.js'), {
    name: 'snapshot',
    limitMs: SNAPSHOT_MS,
    idleMs: IDLE_MS,
  });
  return { take: (to) => thread.call<Manifest>('take', { file, to, asOf: clock.now() }), stop: thread.stop };
}
