import { createHash } from 'node:crypto';
import { Router } from 'express';
import { typeOfName } from '@verbalis/core/program';
import type { Clock } from '../kernel/index.js';
import { Refusal } from '../refusal.js';
import { newId, type Store } from '../store/index.js';
import { callerOf, needs } from './access.js';
import { parse } from './problem.js';
import { UploadQuery } from './schemas.js';

/** Bytes that one transaction writes. */
const STEP_BYTES = 256 * 1024;

/** Takes files to be attached later, as they come in: none is ever in memory as a whole. */
export function uploadsRouter(store: Store, clock: Clock, mostBytes: number): Router {
  const router = Router();
  router.post('/', needs('send'), async (request, response) => {
    const { name } = parse(UploadQuery, request.query);
    const now = clock.now();
    const { space } = callerOf(request);
    const contentId = await store.write((tx) => store.contents.begin(tx, now));
    let isKept = false;
    try {
      const { size, hash } = await takeIn(request, contentId);
      const id = newId('u', now);
      const given = request.header('content-type')?.split(';')[0]?.trim() ?? '';
      const type = given === '' || given === 'application/octet-stream' ? typeOfName(name) : given;
      await store.write((tx) => {
        store.contents.end(tx, contentId, { hash, size });
        store.contents.addUpload(tx, { id, space, name, type, contentId, createdAt: now });
      });
      isKept = true;
      response.status(201).json({ id, name, type, size, sha256: hash });
    } finally {
      if (!isKept)
        await store.write((tx) => {
          store.contents.drop(tx, contentId);
        });
    }
  });

  /** Writes a stream piece by piece. What is counted here is what came in; the store counts what it has, and both are compared at the end. */
  async function takeIn(source: AsyncIterable<Buffer>, contentId: string): Promise<{ size: number; hash: string }> {
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
  return router;
}
