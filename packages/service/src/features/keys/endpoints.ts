import { empty, endpointsOf, json, jsonBody, newId, Refusal, sameSecret, type Clock } from '../../kernel/index.js';
import { SpaceList } from '../spaces/index.js';
import { refuseForeign, SESSION_COOKIE, sessionOf, type AccessOptions } from './access.js';
import { KeyMade, NewKey, SignIn } from './model.js';
import type { Store } from './store.js';

const HOUR = 3_600_000;
/** How long a session and a one-time token are good. */
const SESSION_MS = 12 * HOUR;
export const SIGN_IN_MS = HOUR;
const MINUTE = 60_000;
/** Wrong secrets a minute, over all who try, before everyone waits. */
const MOST_WRONG = 10;

export interface KeyEndpoints extends AccessOptions {
  readonly store: Store;
  readonly clock: Clock;
  /** Whether people reach the console over TLS. */
  readonly secure: boolean;
  /** Times of wrong sign-ins. */
  readonly wrong: number[];
}

const endpoint = endpointsOf<KeyEndpoints>();

const add = endpoint({
  name: 'keys.add',
  method: 'post',
  path: '/v1/keys',
  summary: 'Make a key for the space',
  scope: 'admin',
  body: jsonBody(NewKey),
  answers: { 201: json('The key; its text is shown here only.', KeyMade) },
  async run({ caller: { space }, body: { name, scopes } }, { store, clock }) {
    const now = clock.now();
    const id = newId('k', now);
    const key = await store.write((tx) => store.access.addKey(tx, { id, space, name, scopes, createdAt: now }));
    return { id, name, scopes, key };
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
    const { store, clock, operatorSecret, secure, wrong } = deps;
    refuseForeign(request);
    const now = clock.now();
    while (wrong[0] !== undefined && wrong[0] <= now - MINUTE) wrong.shift();
    if (wrong.length >= MOST_WRONG)
      throw new Refusal(429, 'too-many-tries', 'Too many wrong sign-ins', { hint: 'Wait a minute.', retryAfterSeconds: 60 });
    const isGood = token === undefined ? sameSecret(secret ?? '', operatorSecret) : store.access.isOpen('sign-in', token, now);
    if (!isGood) {
      wrong.push(now);
      if (token !== undefined) throw usedLink();
      throw new Refusal(401, 'sign-in', 'This is not the operator’s secret', {
        hint: 'It is in the secrets file of the service (verbalis.secrets.json).',
      });
    }
    const session = await store.write((tx) => {
      // A token opens one session only, however many ask with it at once.
      if (token !== undefined && !store.access.close(tx, token)) throw usedLink();
      return store.access.open(tx, 'session', now, now + SESSION_MS);
    });
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
  async run({ request, response }, { store }) {
    refuseForeign(request);
    const session = sessionOf(request);
    if (session !== undefined) await store.write((tx) => store.access.close(tx, session));
    response.clearCookie(SESSION_COOKIE, { path: '/' });
    return undefined;
  },
});

/** Keys of spaces, and sessions of the console. */
export const keyEndpoints = [add, signIn, getSession, signOut];
