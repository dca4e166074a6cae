import { parseCookie } from 'cookie';
import type { Request } from 'express';
import type { z } from 'zod';
import {
  EVERY_SCOPE,
  networks,
  plainAddress,
  Refusal,
  sameSecret,
  type Access,
  type AccessNeeds,
  type Caller,
  type CallerKey,
  type Clock,
} from '../../kernel/index.js';
import type { SpaceView } from '../spaces/index.js';
import type { Guesses } from './guesses.js';
import { looksLikeKey, type KeyRow } from './queries.js';
import type { Store } from './store.js';
import type { NoteUse } from './use.js';

/** A space, and what its rules make of its email. */
export type SpaceSummary = Omit<z.input<typeof SpaceView>, 'name'>;

export interface AccessOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly guesses: Guesses;
  readonly noteUse: NoteUse;
  readonly operatorSecret: string;
  /** The address under which people reach the console. */
  readonly publicUrl: string | undefined;
  readonly spaces: ReadonlyMap<string, SpaceSummary>;
}

export const SESSION_COOKIE = 'verbalis_session';

/** The session that a request's cookie names. */
export function sessionOf(request: Request): string | undefined {
  return parseCookie(request.headers.cookie ?? '')[SESSION_COOKIE];
}

/**
 * Requests that change something and come with a cookie must come from the console's own page: the browser says so
 * (Sec-Fetch-Site, Origin), and a header that no foreign form can set says it again.
 * @param publicUrl where the page is when a proxy has put another host into the request
 * @throws Refusal
 */
export function refuseForeign(request: Request, publicUrl?: string): void {
  if (request.method === 'GET' || request.method === 'HEAD') return;
  const site = request.headers['sec-fetch-site'];
  const { origin } = request.headers;
  const foreign =
    (site !== undefined && site !== 'same-origin' && site !== 'none') ||
    (origin !== undefined && origin !== publicUrl && origin.replace(/^https?:\/\//, '') !== request.host);
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
export function accessBy({ store, clock, spaces, operatorSecret, publicUrl, guesses, noteUse }: AccessOptions): Access {
  /** The space that a request names. A frame cannot send a header of its own, so it may be in the address. */
  function named(request: Request): string | undefined {
    const { space } = request.query;
    return request.header('verbalis-space') ?? (typeof space === 'string' ? space : undefined);
  }

  function operator(request: Request, { isForService }: AccessNeeds): Caller {
    const [only, ...others] = spaces.keys();
    const space = named(request) ?? (others.length === 0 ? only : undefined);
    const configured = [...spaces.keys()].join(', ') || 'none';
    if (space === undefined && isForService) return { space: '', scopes: EVERY_SCOPE, operator: true };
    if (space === undefined && others.length > 0)
      throw new Refusal(400, 'no-space', 'This request names no space', {
        detail: `The operator may use every space, and ${spaces.size} are configured.`,
        hint: `Name one with --space, or in the header field Verbalis-Space: ${configured}.`,
      });
    if (space !== undefined && spaces.has(space)) return { space, scopes: EVERY_SCOPE, operator: true };
    throw new Refusal(404, 'unknown-space', 'There is no such space', {
      detail: `No space "${space ?? ''}" is configured.`,
      hint: `Configured: ${configured}.`,
    });
  }

  function bearer(request: Request, secret: string, needs: AccessNeeds): Caller {
    const address = plainAddress(request.ip ?? '');
    const found = store.access.findKey(secret, clock.now());
    if (found.kind === 'good' && spaces.has(found.key.space)) {
      const { space, scopes } = found.key;
      const asked = named(request);
      if (asked !== undefined && asked !== space)
        throw new Refusal(403, 'other-space', 'This key is of another space', {
          detail: `The key is of the space "${space}"; the request names "${asked}".`,
          hint: `Use a key of "${asked}", or leave --space (Verbalis-Space) out.`,
        });
      if (!mayComeFrom(found.key, address))
        throw new Refusal(403, 'key-address', 'This key may not be used from this address', {
          detail: `The request came from ${address}.`,
          hint: 'See: verbalis keys show KEY.',
        });
      noteUse(found.key, address);
      return { space, scopes: new Set(scopes), operator: false, key: callerKey(found.key) };
    }
    if (found.kind === 'expired' || found.kind === 'revoked')
      throw new Refusal(401, `${found.kind}-key`, found.kind === 'expired' ? 'This key has expired' : 'This key was revoked', {
        hint: 'Make a new one with: verbalis keys add NAME.',
      });
    // A key cannot be guessed, and one that is gone is no guess. The operator's secret may be one that a person has chosen: guesses at it wait.
    if (!looksLikeKey(secret)) {
      refuseGuess(guesses, address, clock);
      if (sameSecret(secret, operatorSecret)) {
        guesses.right(address);
        return operator(request, needs);
      }
      guesses.wrong(address, clock.elapsed());
    }
    throw new Refusal(401, 'wrong-key', 'This key is not known', {
      hint: 'Look for a cut or a space at its end; make a new one with: verbalis keys add NAME.',
    });
  }

  return (request, needs) => {
    const secret = /^Bearer\s+(\S+)$/i.exec(request.header('authorization') ?? '')?.[1];
    if (secret !== undefined) return bearer(request, secret, needs);
    const session = sessionOf(request);
    if (session !== undefined && store.access.isOpen('session', session, clock.now())) {
      refuseForeign(request, publicUrl);
      return operator(request, needs);
    }
    throw new Refusal(401, 'no-key', 'A key is needed', {
      hint: 'Send it as "Authorization: Bearer KEY"; make one with: verbalis keys add NAME.',
    });
  };
}

/** The key of a caller, and its bounds. */
export function callerKey({ id, bounds }: Pick<KeyRow, 'id' | 'bounds'>): CallerKey {
  return { id, bounds: bounds ?? {} };
}

/** Whether a key may be used from an IP address. */
export function mayComeFrom({ bounds }: Pick<KeyRow, 'bounds'>, address: string): boolean {
  return bounds?.usedFrom === undefined || networks(bounds.usedFrom)(address);
}

/** @throws Refusal 429 while an address has to wait after wrong secrets */
export function refuseGuess(guesses: Guesses, address: string, clock: Clock): void {
  const waitMs = guesses.waitMs(address, clock.elapsed());
  if (waitMs === 0) return;
  const seconds = Math.ceil(waitMs / 1000);
  throw new Refusal(429, 'too-many-tries', 'Too many wrong secrets came from this address', {
    hint: `Wait ${seconds === 1 ? 'a second' : `${seconds} seconds`}.`,
    retryAfterSeconds: seconds,
  });
}
