import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { manifestFile, readManifest, StartError, writeWhole, type Manifest } from '../../kernel/index.js';
import { logFiles, readHead } from './log-files.js';

// FOLDER/verbalis-copies.json        marks it as ours
// FOLDER/erasures.jsonl              the ledger of erasures
// FOLDER/LINEAGE/snapshot-TIME.sqlite, with its manifest beside it
// FOLDER/LINEAGE/log-SEQ.jsonl       changes, in order

const MARK = 'verbalis-copies.json';
const LEDGER = 'erasures.jsonl';
const LINEAGE = /^[0-9a-f]{16}$/;
const SNAPSHOT = /^snapshot-[0-9TZ]+\.sqlite$/;

const markFile = (folder: string): string => join(folder, MARK);
export const ledgerIn = (folder: string): string => join(folder, LEDGER);
export const lineageFolder = (folder: string, lineage: string): string => join(folder, lineage);

/** A name for a snapshot; the later it is taken, the later it sorts. */
export const snapshotName = (at: number): string => `snapshot-${new Date(at).toISOString().replaceAll(/[-:.]/g, '')}.sqlite`;

/** A snapshot in a folder of copies. */
export interface Snapshot {
  readonly file: string;
  readonly lineage: string;
  readonly manifest: Manifest;
}

/** Whether a folder has copies of ours. */
export const isMarked = (folder: string): boolean => existsSync(markFile(folder));

/** Makes a folder one of copies. */
export function markFolder(folder: string): void {
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  if (!isMarked(folder)) writeWhole(markFile(folder), `${JSON.stringify({ format: 1, product: 'verbalis', about: 'docs/backup.md' })}\n`);
}

/** Whether a folder lies on the same disk as a file: losing the one loses the other. */
export function isOnSameDisk(folder: string, file: string): boolean {
  let at = folder;
  while (!existsSync(at) && dirname(at) !== at) at = dirname(at);
  return statSync(at).dev === statSync(dirname(file)).dev;
}

function lineagesOf(folder: string): string[] {
  return existsSync(folder) ? readdirSync(folder).filter((name) => LINEAGE.test(name)) : [];
}

/** The snapshots of a lineage that are whole by their manifest, the oldest first. */
function snapshotsOf(folder: string, lineage: string): Snapshot[] {
  const own = lineageFolder(folder, lineage);
  if (!existsSync(own)) return [];
  return readdirSync(own)
    .filter((name) => SNAPSHOT.test(name) && existsSync(manifestFile(join(own, name))))
    .map((name): Snapshot => {
      const file = join(own, name);
      return { file, lineage, manifest: readManifest(file) };
    })
    .filter(({ manifest }) => manifest.lineage === lineage)
    .sort((a, b) => a.manifest.sequence - b.manifest.sequence || Date.parse(a.manifest.asOf) - Date.parse(b.manifest.asOf));
}

/** All snapshots of a folder, the oldest first. */
export function allSnapshots(folder: string): Snapshot[] {
  return lineagesOf(folder)
    .flatMap((lineage) => snapshotsOf(folder, lineage))
    .sort((a, b) => Date.parse(a.manifest.asOf) - Date.parse(b.manifest.asOf));
}

function removeSnapshot({ file }: Snapshot): void {
  rmSync(manifestFile(file), { force: true });
  rmSync(file, { force: true });
}

/**
 * Removes what nothing within the kept time needs: a snapshot that another one of before that time follows, and the changes before the first
 * snapshot that is left. @returns how many files
 */
export function purge(folder: string, lineage: string, before: number): number {
  let removed = 0;
  for (const other of lineagesOf(folder)) {
    const own = snapshotsOf(folder, other);
    const old = own.filter(({ manifest }) => Date.parse(manifest.asOf) < before);
    // A lineage that has ended is kept for as long as its last record.
    if (other !== lineage && !isNewer(folder, other, before)) {
      rmSync(lineageFolder(folder, other), { recursive: true, force: true });
      removed += 1;
      continue;
    }
    for (const snapshot of old.slice(0, -1)) {
      removeSnapshot(snapshot);
      removed += 1;
    }
    const first = snapshotsOf(folder, other)[0]?.manifest.sequence ?? 0;
    const files = logFiles(lineageFolder(folder, other));
    for (const [i, { file }] of files.entries()) {
      const next = files[i + 1]?.from;
      if (next === undefined || next > first + 1) break;
      rmSync(file, { force: true });
      removed += 1;
    }
  }
  return removed;
}

/** Whether something of a lineage was written after a date. */
function isNewer(folder: string, lineage: string, date: number): boolean {
  const own = lineageFolder(folder, lineage);
  return readdirSync(own).some((name) => statSync(join(own, name)).mtimeMs >= date);
}

/** Adds to a ledger what another one has. */
export function copyLedger(from: string, to: string): void {
  if (!existsSync(from)) return;
  const known = new Set(existsSync(to) ? readFileSync(to, 'utf8').split('\n') : []);
  const lines = readFileSync(from, 'utf8')
    .split('\n')
    .filter((line) => line !== '');
  if (lines.every((line) => known.has(line))) return;
  const all = new Set([...known, ...lines].filter((line) => line !== ''));
  writeWhole(to, `${[...all].join('\n')}\n`);
}

/** Where a restore begins, and how far it can go. */
export interface Source {
  readonly snapshot: Snapshot;
  readonly log: string;
}

/**
 * The snapshot to begin at: the newest, or the newest that was finished by a date.
 * @throws StartError where there is none
 */
export function chooseSnapshot(folder: string, at: number | undefined): Source {
  if (!existsSync(folder)) throw new StartError(`There is no folder ${folder}.`);
  const all = allSnapshots(folder);
  const found = all.filter(({ manifest }) => at === undefined || Date.parse(manifest.upTo) <= at).at(-1);
  if (found === undefined) {
    const [first] = all;
    throw new StartError(
      first === undefined
        ? `There is no finished snapshot in ${folder}.`
        : `The first snapshot in ${folder} was finished at ${first.manifest.upTo}; nothing earlier can be restored.`,
    );
  }
  const log = lineageFolder(folder, found.lineage);
  const [file] = logFiles(log);
  if (file !== undefined && readHead(file.file).layout !== found.manifest.layout)
    throw new StartError(`The changes in ${log} are of another layout than the snapshot ${found.file}.`);
  return { snapshot: found, log };
}
