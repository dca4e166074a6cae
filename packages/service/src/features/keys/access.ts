import { parseCookie } from 'cookie';
import type { Request } from 'express';
import type { z } from 'zod';
import { EVERY_SCOPE, Refusal, sameSecret, type Access, type Caller, type Clock, type Scope } from '../../kernel/index.js';
import type { SpaceView } from '../spaces/index.js';
import type { Store } from './store.js';

/** A space, and what its rules make of its email. */
export type SpaceSummary = Omit<z.input<typeof SpaceView>, 'name'>;

export interface AccessOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly operatorSecret: string;
  readonly spaces: ReadonlyMap<string, SpaceSummary>;
}

export const SESSION_COOKIE = 'verbalis_session';

/** The session that a request's cookie names. */
export function sessionOf(request: Request): string | undefined {
  return parseCookie(request.headers.cookie ?? '')[SESSION_COOKIE];
}

/**
 * Requests that change something and come with a cookie must come from the console's own page: the browser says so
 * (Sec-Fetch-Site, Origin), and a header that no foreign form can set says it again. @throws Refusal
 */
export function refuseForeign(request: Request): void {
  if (request.method === 'GET' || request.method === 'HEAD') return;
  const site = request.headers['sec-fetch-site'];
  const { origin, host } = request.headers;
  const foreign =
    (site !== undefined && site !== 'same-origin' && site !== 'none') ||
    (origin !== undefined && origin.replace(/^https?:\/\//, '') !== host);
  if (foreign || request.headers['verbalis-console'] !== '1') {
    throw new Refusal(403, 'foreign-request', 'This request does not come from the console', {
      hint: 'Use a key (Authorization: Bearer …) outside of the console.',
    });
  }
}

/**
 * Admits everybody who uses this machine's own name: for a local preview, which has no keys. A foreign page whose name points here is
 * refused, and so is one that sends a form.
 */
export function openToThisMachine(space: string): Access {
  return (request) => {
    const host = (request.headers.host ?? '').replace(/:\d+$/, '');
    if (!['127.0.0.1', 'localhost', '[::1]'].includes(host))
      throw new Refusal(403, 'foreign-host', 'This preview is for this machine only', { hint: 'Open it by http://127.0.0.1.' });
    refuseForeign(request);
    return { space, scopes: EVERY_SCOPE, operator: true };
  };
}

/** Finds out who makes a request: a key of a space, the operator's secret, or a session of the console. */
export function accessBy({ store, clock, spaces, operatorSecret }: AccessOptions): Access {
  function operator(request: Request): Caller {
    // A frame cannot send a header of its own, so the space may be in the address.
    const { space: given } = request.query;
    const space = request.header('verbalis-space') ?? (typeof given === 'string' ? given : undefined) ?? [...spaces.keys()][0];
    if (space !== undefined && spaces.has(space)) return { space, scopes: EVERY_SCOPE, operator: true };
    throw new Refusal(404, 'unknown-space', 'There is no such space', {
      detail: `No space "${space ?? ''}" is configured.`,
      hint: `Configured: ${[...spaces.keys()].join(', ') || 'none'}.`,
    });
  }

  function bearer(request: Request, secret: string): Caller {
    const key = store.access.findKey(secret);
    if (key !== undefined && spaces.has(key.space)) return { space: key.space, scopes: new Set(key.scopes as Scope[]), operator: false };
    if (sameSecret(secret, operatorSecret)) return operator(request);
    throw new Refusal(401, 'wrong-key', 'This key is not known', {
      hint: 'Look for a cut or a space at its end; make a new one with: verbalis keys add NAME.',
    });
  }

  return (request) => {
    const secret = /^Bearer\s+(\S+)$/i.exec(request.header('authorization') ?? '')?.[1];
    if (secret !== undefined) return bearer(request, secret);
    const session = sessionOf(request);
    if (session !== undefined && store.access.isOpen('session', session, clock.now())) {
      refuseForeign(request);
      return operator(request);
    }
    throw new Refusal(401, 'no-key', 'A key is needed', {
      hint: 'Send it as "Authorization: Bearer KEY"; make one with: verbalis keys add NAME.',
    });
  };
}
