import { createHash } from 'node:crypto';
import { mediaType } from '@verbalis/core/mime';
import { endpointsOf, json, newId, Refusal, streamBody, type Clock } from '../../kernel/index.js';
import { UploadQuery, UploadView } from './model.js';
import type { Store } from './store.js';

export interface UploadEndpoints {
  readonly store: Store;
  readonly clock: Clock;
  /** The largest file, in bytes. */
  readonly mostBytes: number;
}

/** Bytes that one transaction writes. */
const STEP_BYTES = 256 * 1024;

const endpoint = endpointsOf<UploadEndpoints>();

/** Writes a stream piece by piece. What is counted here is what came in; the store counts what it has, and both are compared at the end. */
async function takeIn(
  { store, mostBytes }: UploadEndpoints,
  source: AsyncIterable<Buffer>,
  contentId: string,
): Promise<{ size: number; hash: string }> {
  const hash = createHash('sha256');
  let size = 0;
  let held: Buffer[] = [];
  let heldBytes = 0;
  const flush = async (): Promise<void> => {
    const bytes = Buffer.concat(held, heldBytes);
    [held, heldBytes] = [[], 0];
    await store.write((tx) => {
      store.contents.append(tx, contentId, bytes);
    });
  };
  for await (const chunk of source) {
    size += chunk.length;
    if (size > mostBytes)
      throw new Refusal(413, 'too-large', 'This file is too large', { detail: `At most ${mostBytes} bytes are accepted.` });
    hash.update(chunk);
    held.push(chunk);
    heldBytes += chunk.length;
    if (heldBytes >= STEP_BYTES) await flush();
  }
  if (heldBytes > 0) await flush();
  return { size, hash: hash.digest('hex') };
}

const add = endpoint({
  name: 'uploads.add',
  method: 'post',
  path: '/v1/uploads',
  summary: 'Upload a file to be attached later',
  description: 'The body is the file, of any type; it is written as it comes in, and never in memory as a whole.',
  scope: 'send',
  audited: 'people',
  query: UploadQuery,
  body: streamBody([]),
  answers: { 201: json('Stored.', UploadView) },
  async run({ caller: { space }, query: { name }, request }, deps) {
    const { store: records, clock } = deps;
    const now = clock.now();
    const contentId = await records.write((tx) => records.contents.begin(tx, now));
    let isKept = false;
    try {
      const { size, hash } = await takeIn(deps, request, contentId);
      const id = newId('u', now);
      const given = request.header('content-type')?.split(';')[0]?.trim() ?? '';
      const type = given === '' || given === 'application/octet-stream' ? mediaType(name) : given;
      await records.write((tx) => {
        records.contents.end(tx, contentId, { hash, size });
        records.contents.addUpload(tx, { id, space, name, type, contentId, createdAt: now });
      });
      isKept = true;
      return { id, name, type, size, sha256: hash };
    } finally {
      if (!isKept)
        await records.write((tx) => {
          records.contents.drop(tx, contentId);
        });
    }
  },
});

/** Files that are attached to messages later. */
export const uploadEndpoints = [add];
