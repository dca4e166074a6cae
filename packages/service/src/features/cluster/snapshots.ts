import { createHash } from 'node:crypto';
import { createReadStream, createWriteStream, mkdtempSync, renameSync, rmSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import * as z from 'zod';
import { placeOfFile, StartError, syncFile, type Manifest } from '../../kernel/index.js';
import type { Cluster } from './connection.js';

/** A whole copy of the database, with its position in the log. */
const Snapshot = z.strictObject({
  /** Its name among the objects. */
  object: z.string(),
  /** Its last record. */
  seq: z.int(),
  group: z.string(),
  layout: z.int(),
  bytes: z.int(),
  sha256: z.string(),
  asOf: z.iso.datetime(),
});
export type Snapshot = z.infer<typeof Snapshot>;

const KEY = 'snapshot';
/** How many are kept: one that is being read while the next one comes stays whole. */
const KEPT = 2;
/** How long the brokers may take for one, in milliseconds. */
const TRANSFER_MS = 3_600_000;

/** The newest snapshot; undefined before the first one. */
export async function newestSnapshot({ state }: Cluster): Promise<Snapshot | undefined> {
  const entry = await state.get(KEY);
  return entry === null || entry.operation !== 'PUT' ? undefined : Snapshot.parse(entry.json());
}

/**
 * Adds a whole copy to what the cluster has; the log before the copy before it is given up.
 * @param take makes a copy of the database at a path
 */
export async function addSnapshot(cluster: Cluster, file: string, take: (to: string) => Promise<Manifest>): Promise<Snapshot> {
  const { snapshots, state, manager, names, id } = cluster;
  const before = await newestSnapshot(cluster);
  const folder = mkdtempSync(join(dirname(file), '.snapshot-'));
  try {
    const copy = join(folder, 'copy.sqlite');
    const manifest = await take(copy);
    const { place } = placeOfFile(copy);
    if (place?.log !== id) throw new Error(`${file} is not part of the cluster.`);
    const { seq, group } = place;
    const { asOf, layout, bytes, sha256 } = manifest;
    const object = `snapshot-${seq}-${asOf.replaceAll(/[-:.]/g, '')}`;
    const content = Readable.toWeb(createReadStream(copy)) as globalThis.ReadableStream<Uint8Array>;
    await snapshots.put({ name: object }, content, { timeout: TRANSFER_MS });
    const snapshot: Snapshot = { object, seq, group, layout, bytes, sha256, asOf };
    await state.put(KEY, JSON.stringify(snapshot));
    await removeOld(cluster);
    if (before !== undefined && before.seq > 0) await manager.streams.purge(names.log, { seq: before.seq });
    return snapshot;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

async function removeOld({ snapshots }: Cluster): Promise<void> {
  const all = (await snapshots.list()).filter(({ deleted }) => !deleted).sort((a, b) => a.mtime.localeCompare(b.mtime));
  for (const { name } of all.slice(0, -KEPT)) await snapshots.delete(name);
}

/** Makes a database file of the newest snapshot. @throws StartError where there is none, or it is not whole; then there is no file */
export async function fetchSnapshot(cluster: Cluster, file: string): Promise<Snapshot> {
  const snapshot = await newestSnapshot(cluster);
  if (snapshot === undefined)
    throw new StartError('The cluster has no snapshot to begin with.', { hint: 'verbalis cluster init makes the first one.' });
  const found = await cluster.snapshots.get(snapshot.object);
  if (found === null) throw new StartError(`The snapshot ${snapshot.object} is not at the brokers.`);
  const part = `${file}.fetching`;
  const hash = createHash('sha256');
  try {
    const reader = found.data.getReader();
    async function* content(): AsyncGenerator<Uint8Array> {
      for (;;) {
        const { done, value } = await reader.read();
        if (done) return;
        hash.update(value);
        yield value;
      }
    }
    await pipeline(content, createWriteStream(part, { mode: 0o600 }));
    const fault = await found.error;
    if (fault instanceof Error) throw fault;
    if (statSync(part).size !== snapshot.bytes || hash.digest('hex') !== snapshot.sha256)
      throw new StartError(`The snapshot ${snapshot.object} did not arrive as it was written.`);
    syncFile(part);
    renameSync(part, file);
    syncFile(dirname(file));
    return snapshot;
  } catch (error) {
    rmSync(part, { force: true });
    throw error;
  }
}
