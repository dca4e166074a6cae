import type { z } from 'zod';
import {
  empty,
  endpointsOf,
  instant,
  invalid,
  json,
  jsonBody,
  newId,
  optionalInstant,
  optionalJsonBody,
  plainAddress,
  Refusal,
  requireScope,
  sameSecret,
  textParams,
  type Clock,
  type Tx,
} from '../../kernel/index.js';
import { SpaceList } from '../spaces/index.js';
import { refuseForeign, refuseGuess, SESSION_COOKIE, sessionOf, type AccessOptions } from './access.js';
import { Bounds, KeyList, KeyMade, KeyView, NewKey, Rotation, SignIn, SignInLink } from './model.js';
import type { KeyRow } from './queries.js';
import type { Store } from './store.js';

const HOUR = 3_600_000;
/** How long a session and a one-time token are good. */
const SESSION_MS = 12 * HOUR;
const SIGN_IN_MS = HOUR / 6;

export interface KeyEndpoints extends AccessOptions {
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
      // Whoever has the new secret may do what the key may.
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

function spacesOf({ spaces }: KeyEndpoints) {
  return { spaces: [...spaces].map(([name, summary]) => ({ name, ...summary })) };
}

function usedLink(): Refusal {
  return new Refusal(401, 'sign-in', 'This sign-in link has been used or is too old', {
    hint: 'Sign in with the operator’s secret, or start the service again for a new link.',
  });
}

const signIn = endpoint({
  name: 'session.signIn',
  method: 'post',
  path: '/console/session',
  summary: 'Sign in to the console: a secret or a one-time token for a cookie that no script can read',
  scope: 'open',
  body: jsonBody(SignIn),
  answers: { 200: json('Signed in.', SpaceList) },
  refusals: {
    401: 'The secret or the token is wrong.',
    403: 'The request does not come from the console.',
    429: 'Too many wrong sign-ins.',
  },
  async run({ request, response, body: { secret, token } }, deps) {
    const { store, clock, operatorSecret, publicUrl, guesses } = deps;
    refuseForeign(request, publicUrl);
    const address = plainAddress(request.ip ?? '');
    refuseGuess(guesses, address, clock);
    const now = clock.now();
    const isGood = token === undefined ? sameSecret(secret ?? '', operatorSecret) : store.access.isOpen('sign-in', token, now);
    if (!isGood) {
      guesses.wrong(address, clock.elapsed());
      if (token !== undefined) throw usedLink();
      throw new Refusal(401, 'sign-in', 'This is not the operator’s secret', {
        hint: 'It is in the secrets file of the service (verbalis.secrets.json).',
      });
    }
    guesses.right(address);
    const session = await store.write((tx) => {
      // A token opens one session only, however many ask with it at once.
      if (token !== undefined && !store.access.close(tx, token)) throw usedLink();
      return store.access.open(tx, 'session', now, now + SESSION_MS);
    });
    // A proxy that is trusted says that people come over TLS; so does the public address.
    const secure = request.secure || publicUrl?.startsWith('https:') === true;
    response.cookie(SESSION_COOKIE, session, { httpOnly: true, sameSite: 'strict', secure, path: '/', maxAge: SESSION_MS });
    return spacesOf(deps);
  },
});

const getSession = endpoint({
  name: 'session.get',
  method: 'get',
  path: '/console/session',
  summary: 'The spaces of a session',
  scope: 'open',
  answers: { 200: json('Signed in.', SpaceList) },
  refusals: { 401: 'Signed out.' },
  run({ request }, deps) {
    const session = sessionOf(request);
    if (session === undefined || !deps.store.access.isOpen('session', session, deps.clock.now()))
      throw new Refusal(401, 'signed-out', 'You are not signed in');
    return spacesOf(deps);
  },
});

const signOut = endpoint({
  name: 'session.signOut',
  method: 'delete',
  path: '/console/session',
  summary: 'Sign out',
  scope: 'open',
  answers: { 204: empty('Signed out.') },
  refusals: { 403: 'The request does not come from the console.' },
  async run({ request, response }, { store, publicUrl }) {
    refuseForeign(request, publicUrl);
    const session = sessionOf(request);
    if (session !== undefined) await store.write((tx) => store.access.close(tx, session));
    response.clearCookie(SESSION_COOKIE, { path: '/' });
    return undefined;
  },
});

/** An address that opens the console, once and for ten minutes. @param base what it starts with: https://host */
export async function signInLink({ store, clock }: Pick<KeyEndpoints, 'store' | 'clock'>, base: string): Promise<string> {
  const now = clock.now();
  const token = await store.write((tx) => store.access.open(tx, 'sign-in', now, now + SIGN_IN_MS));
  return `${base}/sign-in#token=${token}`;
}

const link = endpoint({
  name: 'session.link',
  method: 'post',
  path: '/v1/sign-in-links',
  summary: 'Make a link that opens the console, once and for ten minutes',
  scope: 'operator',
  isForService: true,
  answers: { 201: json('Whoever has it is signed in.', SignInLink) },
  run: async ({ request }, deps) => ({ url: await signInLink(deps, deps.publicUrl ?? `${request.protocol}://${request.host}`) }),
});

/** Keys of spaces, and sessions of the console. */
export const keyEndpoints = [add, list, get, rotate, revoke, link, signIn, getSession, signOut];
