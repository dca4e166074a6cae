import { createHash, timingSafeEqual } from 'node:crypto';
import type { Request, RequestHandler } from 'express';
import type { Clock } from '../kernel/index.js';
import { Refusal } from '../refusal.js';
import type { Store } from '../store/index.js';
import type { z } from 'zod';
import type { Scope, SpaceView } from './schemas.js';

/** A space, and what its rules make of its mail. */
export type SpaceSummary = Omit<z.input<typeof SpaceView>, 'name'>;

export interface AccessOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly operatorSecret: string;
  readonly spaces: ReadonlyMap<string, SpaceSummary>;
}

/** Who asks, and for which space. */
export interface Caller {
  readonly space: string;
  readonly scopes: ReadonlySet<Scope>;
  readonly operator: boolean;
}

export const SESSION_COOKIE = 'verbalis_session';
const EVERYTHING: ReadonlySet<Scope> = new Set<Scope>(['send', 'read', 'write', 'admin']);
const callers = new WeakMap<Request, Caller>();

export function callerOf(request: Request): Caller {
  const caller = callers.get(request);
  if (caller === undefined) throw new Error('A route that needs a caller stands before the access check.');
  return caller;
}

export function sameSecret(a: string, b: string): boolean {
  const hash = (text: string): Buffer => createHash('sha256').update(text).digest();
  return timingSafeEqual(hash(a), hash(b));
}

export function sessionOf(request: Request): string | undefined {
  return /(?:^|;\s*)verbalis_session=([A-Za-z0-9_-]+)/.exec(request.headers.cookie ?? '')?.[1];
}

/**
 * Requests that change something and come with a cookie must come from the console's own page: the browser says so
 * (Sec-Fetch-Site, Origin), and a header that no foreign form can set says it again.
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
 * Lets everybody in who asks for this machine by its own name: for a local preview, which has no keys. A foreign page that has a name of its
 * own pointed here is refused, and so is one that sends a form.
 */
export function openToThisMachine(space: string): RequestHandler {
  return (request, _response, next) => {
    const host = (request.headers.host ?? '').replace(/:\d+$/, '');
    if (!['127.0.0.1', 'localhost', '[::1]'].includes(host))
      throw new Refusal(403, 'foreign-host', 'This preview is for this machine only', { hint: 'Open it by http://127.0.0.1.' });
    refuseForeign(request);
    callers.set(request, { space, scopes: EVERYTHING, operator: true });
    next();
  };
}

/** Finds out who asks: a key of a space, the operator's secret, or a session of the console. */
export function access(options: AccessOptions): RequestHandler {
  const { store, clock, spaces } = options;

  function operator(request: Request): Caller {
    // A frame cannot send a header of its own, so the space may stand in the address.
    const asked = request.query['space'];
    const wanted = request.header('verbalis-space') ?? (typeof asked === 'string' ? asked : undefined) ?? [...spaces.keys()][0];
    if (wanted === undefined || !spaces.has(wanted)) {
      throw new Refusal(404, 'unknown-space', 'There is no such space', {
        detail: `No space "${wanted ?? ''}" is configured.`,
        hint: `Configured: ${[...spaces.keys()].join(', ') || 'none'}.`,
      });
    }
    return { space: wanted, scopes: EVERYTHING, operator: true };
  }

  return (request, _response, next) => {
    const bearer = /^Bearer\s+(\S+)$/i.exec(request.header('authorization') ?? '')?.[1];
    if (bearer !== undefined) {
      const key = store.access.findKey(bearer);
      if (key !== undefined && spaces.has(key.space)) {
        callers.set(request, { space: key.space, scopes: new Set(key.scopes as Scope[]), operator: false });
      } else if (sameSecret(bearer, options.operatorSecret)) {
        callers.set(request, operator(request));
      } else {
        throw new Refusal(401, 'wrong-key', 'This key is not known', {
          hint: 'Look for a cut or a space at its end; make a new one with: verbalis keys add NAME.',
        });
      }
      next();
      return;
    }
    const session = sessionOf(request);
    if (session !== undefined && store.access.isOpen('session', session, clock.now())) {
      refuseForeign(request);
      callers.set(request, operator(request));
      next();
      return;
    }
    throw new Refusal(401, 'no-key', 'A key is needed', {
      hint: 'Send it as "Authorization: Bearer KEY"; make one with: verbalis keys add NAME.',
    });
  };
}

export function needs(scope: Scope): RequestHandler {
  return (request, _response, next) => {
    const caller = callerOf(request);
    if (!caller.scopes.has(scope) && !caller.scopes.has('admin')) {
      throw new Refusal(403, 'missing-scope', 'This key may not do that', {
        detail: `It needs the scope "${scope}".`,
        hint: `It has: ${[...caller.scopes].join(', ')}.`,
      });
    }
    next();
  };
}
