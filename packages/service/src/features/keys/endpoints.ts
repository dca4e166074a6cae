import type * as z from 'zod';
import {
  endpointsOf,
  instant,
  invalid,
  json,
  jsonBody,
  newId,
  optionalInstant,
  optionalJsonBody,
  Refusal,
  requireScope,
  textParams,
  type Clock,
  type Tx,
} from '../../kernel/index.js';
import { Bounds, KeyList, KeyMade, KeyView, NewKey, Rotation } from './model.js';
import type { KeyRow } from './queries.js';
import type { Store } from './store.js';

const HOUR = 3_600_000;

export interface KeyEndpoints {
  readonly store: Store;
  readonly clock: Clock;
}

const endpoint = endpointsOf<KeyEndpoints>();

function fieldsOf({ id, name, scopes, start, createdAt, expiresAt, bounds }: KeyRow) {
  const shown = bounds === null ? undefined : Bounds.parse(bounds);
  return { id, name, scopes, start, createdAt: instant(createdAt), expiresAt: optionalInstant(expiresAt), bounds: shown };
}

function view(row: KeyRow, now: number): z.input<typeof KeyView> {
  const { revokedAt, oldUntil, lastUsedAt, lastUsedFrom, expiresAt } = row;
  const isExpired = expiresAt !== null && expiresAt <= now;
  return {
    ...fieldsOf(row),
    state: revokedAt !== null ? 'revoked' : isExpired ? 'expired' : 'active',
    revokedAt: optionalInstant(revokedAt),
    rotatesUntil: oldUntil !== null && oldUntil > now ? instant(oldUntil) : undefined,
    lastUsedAt: optionalInstant(lastUsedAt),
    lastUsedFrom: lastUsedFrom ?? undefined,
  };
}

/** A key of the caller's space. @throws Refusal 404 */
function found({ store }: KeyEndpoints, space: string, id: string, from?: Tx): KeyRow {
  const row = store.access.keyById(space, id, from);
  if (row !== undefined) return row;
  throw new Refusal(404, 'unknown-key', 'There is no such key', {
    detail: `No key "${id}" in the space "${space}".`,
    hint: 'See: verbalis keys list.',
  });
}

const add = endpoint({
  name: 'keys.add',
  method: 'post',
  path: '/v1/keys',
  summary: 'Make a key for the space',
  scope: 'manage',
  body: jsonBody(NewKey),
  answers: { 201: json('The key; its secret is shown here only.', KeyMade) },
  async run({ caller, body: { name, scopes, expiresAt, bounds } }, { store, clock }) {
    const now = clock.now();
    // Nobody can hand out a scope that they do not have.
    for (const scope of scopes) requireScope(caller, scope);
    const until = expiresAt === undefined ? null : Date.parse(expiresAt);
    if (until !== null && until <= now) throw invalid([{ path: 'expiresAt', message: 'is in the past' }]);
    // A key that manages could make itself another one without them.
    if (bounds !== undefined && scopes.includes('manage'))
      throw invalid([
        {
          path: 'bounds',
          message: 'cannot be given to a key that manages the space',
          hint: 'Give it the scopes that it needs: send, read, write.',
        },
      ]);
    const { space } = caller;
    const id = newId('k', now);
    const row = { id, space, name, scopes, bounds: bounds ?? null, createdAt: now, expiresAt: until };
    const key = await store.write((tx) => store.access.addKey(tx, row));
    const made = store.access.keyById(space, id);
    if (made === undefined) throw new Error(`The key ${id} was not written.`);
    return { ...fieldsOf(made), space, key };
  },
});

const list = endpoint({
  name: 'keys.list',
  method: 'get',
  path: '/v1/keys',
  summary: 'Keys of the space, including those that have expired or were revoked',
  scope: 'manage',
  answers: { 200: json('The oldest first; never their secrets.', KeyList) },
  run({ caller: { space } }, { store, clock }) {
    return { keys: store.access.keysOf(space).map((row) => view(row, clock.now())) };
  },
});

const get = endpoint({
  name: 'keys.get',
  method: 'get',
  path: '/v1/keys/{id}',
  summary: 'One key: its scopes, its state, when and from where it was used last',
  scope: 'manage',
  params: textParams('id'),
  answers: { 200: json('The key, without its secret.', KeyView) },
  run: ({ caller: { space }, params: { id } }, deps) => view(found(deps, space, id), deps.clock.now()),
});

const rotate = endpoint({
  name: 'keys.rotate',
  method: 'post',
  path: '/v1/keys/{id}/rotate',
  summary: 'Give a key a new secret; the old one stays valid for a while',
  scope: 'manage',
  params: textParams('id'),
  body: optionalJsonBody(Rotation),
  answers: { 200: json('The new secret; shown here only.', KeyMade) },
  refusals: { 409: 'The key was revoked.' },
  async run({ caller, params: { id }, body: { overlapHours } }, deps) {
    const { store, clock } = deps;
    const { space } = caller;
    const now = clock.now();
    const { row, key } = await store.write((tx) => {
      const before = found(deps, space, id, tx);
      // The new secret grants the rights of the key.
      for (const scope of before.scopes) requireScope(caller, scope);
      if (before.revokedAt !== null)
        throw new Refusal(409, 'revoked-key', 'This key was revoked', { hint: 'Make a new one with: verbalis keys add NAME.' });
      const made = store.access.rotateKey(tx, before, now + overlapHours * HOUR);
      return { row: found(deps, space, id, tx), key: made };
    });
    return { ...fieldsOf(row), space, key };
  },
});

const revoke = endpoint({
  name: 'keys.revoke',
  method: 'delete',
  path: '/v1/keys/{id}',
  summary: 'Revoke a key: requests with it are refused from now on',
  scope: 'manage',
  params: textParams('id'),
  answers: { 200: json('The key; a key that was revoked before stays so.', KeyView) },
  async run({ caller: { space }, params: { id } }, deps) {
    const { store, clock } = deps;
    const now = clock.now();
    return store.write((tx) => {
      found(deps, space, id, tx);
      store.access.revokeKey(tx, id, now);
      return view(found(deps, space, id, tx), now);
    });
  },
});

/** Keys of spaces. */
export const keyEndpoints = [add, list, get, rotate, revoke];
