import { Router } from 'express';
import type { Clock } from '../kernel/index.js';
import { Refusal } from '../refusal.js';
import type { Store } from '../store/index.js';
import { refuseForeign, sameSecret, SESSION_COOKIE, sessionOf, type AccessOptions } from './access.js';
import { parse } from './problem.js';
import { SignIn } from './schemas.js';

const HOUR = 3_600_000;
/** How long a session and a one-time token are good. */
const SESSION_MS = 12 * HOUR;
export const SIGN_IN_MS = HOUR;
/** Wrong secrets a minute, over all who try, before everyone waits. */
const MOST_WRONG = 10;

/** Sign-in to the console: a secret or a one-time token for a cookie that no script can read. */
export function sessionRouter(options: AccessOptions & { readonly store: Store; readonly clock: Clock; readonly secure: boolean }): Router {
  const { store, clock, operatorSecret, spaces, secure } = options;
  const router = Router();
  let wrong: number[] = [];

  router.post('/', async (request, response) => {
    refuseForeign(request);
    const now = clock.now();
    wrong = wrong.filter((at) => at > now - 60_000);
    if (wrong.length >= MOST_WRONG)
      throw new Refusal(429, 'too-many-tries', 'Too many wrong sign-ins', { hint: 'Wait a minute.', retryAfterSeconds: 60 });
    const { secret, token } = parse(SignIn, request.body);
    const usedLink = (): Refusal =>
      new Refusal(401, 'sign-in', 'This sign-in link has been used or is too old', {
        hint: 'Sign in with the operator’s secret, or start the service again for a new link.',
      });
    const good = token === undefined ? sameSecret(secret ?? '', operatorSecret) : store.access.isOpen('sign-in', token, now);
    if (!good) {
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
    response.json({ spaces: [...spaces].map(([name, summary]) => ({ name, ...summary })) });
  });

  router.get('/', (request, response) => {
    const session = sessionOf(request);
    if (session === undefined || !store.access.isOpen('session', session, clock.now()))
      throw new Refusal(401, 'signed-out', 'You are not signed in');
    response.json({ spaces: [...spaces].map(([name, summary]) => ({ name, ...summary })) });
  });

  router.delete('/', async (request, response) => {
    refuseForeign(request);
    const session = sessionOf(request);
    if (session !== undefined) await store.write((tx) => store.access.close(tx, session));
    response.clearCookie(SESSION_COOKIE, { path: '/' }).status(204).end();
  });

  return router;
}
