import { Router } from 'express';
import { fromBase64 } from './base64.js';
import type { Clock } from '../kernel/index.js';
import { EditionError, type Editions } from '../editions/index.js';
import { Refusal } from '../refusal.js';
import type { EditionRow, Store } from '../store/index.js';
import { callerOf, needs } from './access.js';
import { parse } from './problem.js';
import { NewEdition, UseEdition } from './schemas.js';

/** What differs between two editions, by path. */
function differences(before: EditionRow | undefined, after: EditionRow): { path: string; change: 'added' | 'changed' | 'removed' }[] {
  const old = before?.manifest ?? {};
  const paths = [...new Set([...Object.keys(old), ...Object.keys(after.manifest)])].sort();
  return paths.flatMap((path) => {
    const [a, b] = [old[path], after.manifest[path]];
    if (a === b) return [];
    return [{ path, change: a === undefined ? ('added' as const) : b === undefined ? ('removed' as const) : ('changed' as const) }];
  });
}

/** Publications of a space: immutable, numbered, one of them in use. */
export function editionsRouter(store: Store, editions: Editions, clock: Clock): Router {
  const router = Router();
  const view = (row: EditionRow, space: string) => ({
    number: row.number,
    hash: row.hash,
    createdAt: new Date(row.createdAt).toISOString(),
    files: Object.keys(row.manifest).length,
    inUse: store.editions.current(space)?.number === row.number,
  });
  const found = (space: string, number: string): EditionRow => {
    const row = /^\d{1,9}$/.test(number) ? store.editions.find(space, Number(number)) : undefined;
    if (row === undefined)
      throw new Refusal(404, 'unknown-edition', 'There is no such edition', { detail: `The space "${space}" has no edition ${number}.` });
    return row;
  };

  router.get('/', needs('read'), (request, response) => {
    const { space } = callerOf(request);
    response.json({ editions: store.editions.list(space).map((row) => view(row, space)) });
  });
  router.get('/:number', needs('read'), (request, response) => {
    const { space } = callerOf(request);
    const row = found(space, String(request.params['number']));
    response.json({ ...view(row, space), manifest: row.manifest });
  });
  router.get('/:number/diff/:other', needs('read'), (request, response) => {
    const { space } = callerOf(request);
    response.json({ changes: differences(found(space, String(request.params['number'])), found(space, String(request.params['other']))) });
  });
  router.get('/:number/files/{*path}', needs('read'), (request, response) => {
    const row = found(callerOf(request).space, String(request.params['number']));
    const path = ([] as unknown[]).concat(request.params['path']).join('/');
    const hash = row.manifest[path];
    if (hash === undefined) throw new Refusal(404, 'unknown-file', 'This edition has no such file', { detail: `No file "${path}".` });
    response
      .set({ 'Content-Security-Policy': "sandbox; default-src 'none'", 'Content-Type': 'text/plain; charset=utf-8' })
      .send(store.editions.contents(hash) ?? '');
  });
  // Only what the service does not have travels: a first call with hashes alone says what that is.
  router.post('/', needs('write'), async (request, response) => {
    const { space } = callerOf(request);
    const wanted = parse(NewEdition, request.body);
    const missing = Object.values(wanted.manifest).filter((hash) => !(hash in wanted.contents) && !store.editions.has(hash));
    if (missing.length > 0) {
      response.status(200).json({ missing: [...new Set(missing)], changes: [] });
      return;
    }
    const files = new Map<string, Uint8Array>();
    for (const [path, hash] of Object.entries(wanted.manifest)) {
      const bytes = fromBase64(wanted.contents[hash], hash) ?? store.editions.contents(hash);
      if (bytes !== undefined) files.set(path, bytes);
    }
    const before = store.editions.current(space);
    try {
      const row = await editions.publish(space, files, clock.now());
      response
        .status(before?.number === row.number ? 200 : 201)
        .json({ missing: [], edition: view(row, space), changes: differences(before, row) });
    } catch (error) {
      if (!(error instanceof EditionError)) throw error;
      throw new Refusal(422, 'edition-errors', 'The mail folder has errors', {
        detail: error.message,
        hint: 'verbalis check shows them with their places.',
      });
    }
  });
  router.post('/use', needs('write'), async (request, response) => {
    const { space } = callerOf(request);
    const { number } = parse(UseEdition, request.body);
    const row = found(space, String(number));
    await store.write((tx) => {
      store.editions.use(tx, space, number);
    });
    response.json(view(row, space));
  });
  return router;
}
