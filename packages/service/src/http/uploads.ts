import { Router } from 'express';
import { typeOfName } from '@verbalis/core/program';
import type { Clock } from '../clock.js';
import { Refusal } from '../refusal.js';
import { newId, type Store } from '../store/index.js';
import { callerOf, needs } from './access.js';
import { parse } from './problem.js';
import { UploadQuery } from './schemas.js';

/** Takes files to be attached later, as they come in: none is ever in memory as a whole. */
export function uploadsRouter(store: Store, clock: Clock, mostBytes: number): Router {
  const router = Router();
  router.post('/', needs('send'), async (request, response) => {
    const { name } = parse(UploadQuery, request.query);
    const now = clock.now();
    const writing = await store.group.write(() => store.contents.begin(now));
    let size = 0;
    let done = false;
    try {
      let held: Buffer[] = [];
      let heldBytes = 0;
      const flush = async (): Promise<void> => {
        const bytes = Buffer.concat(held, heldBytes);
        held = [];
        heldBytes = 0;
        await store.group.write(() => {
          writing.add(bytes);
        });
      };
      for await (const chunk of request as AsyncIterable<Buffer>) {
        size += chunk.length;
        if (size > mostBytes)
          throw new Refusal(413, 'too-large', 'This file is too large', { detail: `At most ${mostBytes} bytes are taken.` });
        held.push(chunk);
        heldBytes += chunk.length;
        if (heldBytes >= 256 * 1024) await flush();
      }
      if (heldBytes > 0) await flush();
      const id = newId('u', now);
      const type = request.header('content-type')?.split(';')[0]?.trim() ?? '';
      const kept = await store.group.write(() => {
        const { id: contentId, hash } = writing.end();
        const known = type === '' || type === 'application/octet-stream' ? typeOfName(name) : type;
        store.contents.addUpload({ id, space: callerOf(request).space, name, type: known, contentId, createdAt: now });
        return { hash, type: known };
      });
      done = true;
      response.status(201).json({ id, name, type: kept.type, size, sha256: kept.hash });
    } finally {
      if (!done)
        await store.group.write(() => {
          store.contents.drop(writing.id);
        });
    }
  });
  return router;
}
