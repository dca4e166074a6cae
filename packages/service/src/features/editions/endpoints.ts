import type * as z from 'zod';
import {
  content,
  endpointsOf,
  fromBase64,
  instant,
  json,
  jsonBody,
  Refusal,
  Reply,
  textParams,
  type Caller,
  type Clock,
} from '../../kernel/index.js';
import type { Editions } from './loaded.js';
import { EditionDetail, EditionDiff, EditionList, EditionView, NewEdition, Promotion, Publication, UseEdition } from './model.js';
import type { EditionRow } from './queries.js';
import type { Store } from './store.js';

export interface EditionEndpoints {
  readonly store: Store;
  readonly editions: Editions;
  readonly clock: Clock;
}

const endpoint = endpointsOf<EditionEndpoints>();

type Change = z.input<typeof EditionDiff>['changes'][number];

/** What differs between two editions, by path. */
function differences(before: EditionRow | undefined, after: EditionRow): Change[] {
  const old = before?.manifest ?? {};
  const paths = [...new Set([...Object.keys(old), ...Object.keys(after.manifest)])].sort();
  return paths.flatMap((path): Change[] => {
    const [a, b] = [old[path], after.manifest[path]];
    if (a === b) return [];
    return [{ path, change: a === undefined ? 'added' : b === undefined ? 'removed' : 'changed' }];
  });
}

function view({ editions }: Store, row: EditionRow): z.input<typeof EditionView> {
  const { space, number, hash, createdAt, manifest } = row;
  const inUse = editions.current(space)?.number === number;
  return { number, hash, createdAt: instant(createdAt), files: Object.keys(manifest).length, inUse };
}

function found({ editions }: Store, space: string, number: string): EditionRow {
  const row = /^\d{1,9}$/.test(number) ? editions.find(space, Number(number)) : undefined;
  if (row !== undefined) return row;
  throw new Refusal(404, 'unknown-edition', 'There is no such edition', { detail: `The space "${space}" has no edition ${number}.` });
}

const list = endpoint({
  name: 'editions.list',
  method: 'get',
  path: '/v1/editions',
  summary: 'Editions of the space, newest first',
  scope: 'read',
  answers: { 200: json('All of them.', EditionList) },
  run: ({ caller: { space } }, { store }) => ({ editions: store.editions.list(space).map((row) => view(store, row)) }),
});

const publish = endpoint({
  name: 'editions.publish',
  method: 'post',
  path: '/v1/editions',
  summary: 'Publish a mail folder',
  description: 'Contents that the service has need not be sent: a first call with hashes alone names what is missing.',
  scope: 'write',
  body: jsonBody(NewEdition),
  answers: {
    201: json('A new edition is in use.', Publication),
    200: json('Nothing differs, or contents are missing.', Publication),
  },
  isRepeatable: true,
  async run({ caller: { space }, body: { manifest, contents } }, { store, editions, clock }) {
    const missing = Object.values(manifest).filter((hash) => !(hash in contents) && !store.editions.has(hash));
    if (missing.length > 0) return new Reply({ missing: [...new Set(missing)], changes: [] }, { status: 200 });
    const files = new Map<string, Uint8Array>();
    for (const [path, hash] of Object.entries(manifest)) {
      const bytes = fromBase64(contents[hash], hash) ?? store.editions.contents(hash);
      if (bytes !== undefined) files.set(path, bytes);
    }
    const before = store.editions.current(space);
    const row = await editions.publish(space, files, clock.now());
    const publication = { missing: [], edition: view(store, row), changes: differences(before, row) };
    return new Reply(publication, { status: before?.number === row.number ? 200 : 201 });
  },
});

const use = endpoint({
  name: 'editions.use',
  method: 'post',
  path: '/v1/editions/use',
  summary: 'Switch to another edition',
  scope: 'write',
  body: jsonBody(UseEdition),
  answers: { 200: json('It is in use.', EditionView) },
  isRepeatable: true,
  async run({ caller: { space }, body: { number } }, { store }) {
    const row = found(store, space, String(number));
    await store.write((tx) => {
      store.editions.use(tx, space, number);
    });
    return view(store, row);
  },
});

/** Whether the caller may read editions of another space. @throws Refusal */
function refuseUnreadable({ store, clock }: EditionEndpoints, caller: Caller, from: string, fromKey: string | undefined): void {
  if (caller.operator || caller.space === from) return;
  const found = fromKey === undefined ? undefined : store.access.findKey(fromKey, clock.now());
  if (found?.kind === 'good' && found.key.space === from && found.key.scopes.some((scope) => scope === 'read' || scope === 'manage'))
    return;
  throw new Refusal(403, 'other-space', `This key cannot read editions of the space "${from}"`, {
    detail:
      found === undefined
        ? 'The request has no key of that space.'
        : `The key that it gives is not a valid one of "${from}" with the scope "read".`,
    hint: 'Give a key of that space: --from-key KEY (fromKey).',
  });
}

const promote = endpoint({
  name: 'editions.promote',
  method: 'post',
  path: '/v1/editions/promote',
  summary: 'Publish an edition of another space here: the same files, with the same hash',
  scope: 'write',
  body: jsonBody(Promotion),
  answers: {
    201: json('It is in use here, as a new edition.', Publication),
    200: json('What is in use here is the same.', Publication),
  },
  refusals: { 404: 'The other space has no such edition.' },
  isRepeatable: true,
  async run({ caller, body: { number, from, fromKey } }, deps) {
    const { store, editions, clock } = deps;
    const { space } = caller;
    refuseUnreadable(deps, caller, from, fromKey);
    const source = found(store, from, String(number));
    const before = store.editions.current(space);
    const row = await editions.publish(space, store.editions.files(source), clock.now());
    const publication = { missing: [], edition: view(store, row), changes: differences(before, row) };
    return new Reply(publication, { status: before?.number === row.number ? 200 : 201 });
  },
});

const get = endpoint({
  name: 'editions.get',
  method: 'get',
  path: '/v1/editions/{number}',
  summary: 'One edition with its files',
  scope: 'read',
  params: textParams('number'),
  answers: { 200: json('The edition.', EditionDetail) },
  run({ caller: { space }, params: { number } }, { store }) {
    const row = found(store, space, number);
    return { ...view(store, row), manifest: row.manifest };
  },
});

const diff = endpoint({
  name: 'editions.diff',
  method: 'get',
  path: '/v1/editions/{number}/diff/{other}',
  summary: 'What differs between two editions',
  scope: 'read',
  params: textParams('number', 'other'),
  answers: { 200: json('By file.', EditionDiff) },
  run: ({ caller: { space }, params: { number, other } }, { store }) => ({
    changes: differences(found(store, space, number), found(store, space, other)),
  }),
});

const file = endpoint({
  name: 'editions.file',
  method: 'get',
  path: '/v1/editions/{number}/files/{path*}',
  summary: 'A file of an edition',
  scope: 'read',
  params: textParams('number', 'path'),
  answers: { 200: content('Its bytes.', 'application/octet-stream') },
  run({ caller: { space }, params: { number, path } }, { store }) {
    const hash = found(store, space, number).manifest[path];
    if (hash === undefined) throw new Refusal(404, 'unknown-file', 'This edition has no such file', { detail: `No file "${path}".` });
    return new Reply(store.editions.contents(hash) ?? '', { headers: { 'Content-Security-Policy': "sandbox; default-src 'none'" } });
  },
});

/** Publications of a space: immutable, numbered, one of them in use. */
export const editionEndpoints = [list, publish, use, promote, get, diff, file];
