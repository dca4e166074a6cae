import type { Request } from 'express';
import type * as z from 'zod';
import {
  EVERY_SCOPE,
  networks,
  plainAddress,
  Refusal,
  sameSecret,
  type AccessNeeds,
  type Actor,
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
export type SpaceSummaries = ReadonlyMap<string, SpaceSummary>;

export interface KeyAccessOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly guesses: Guesses;
  readonly noteUse: NoteUse;
  readonly operatorSecret: string;
  readonly spaces: SpaceSummaries;
}

/** Who has the operator's secret. */
export const OPERATOR: Actor = { kind: 'operator', name: 'operator’s secret' };

/** The space that a request names. A frame cannot send a header of its own, so it may be in the address. */
export function namedSpace(request: Request): string | undefined {
  const { space } = request.query;
  return request.header('verbalis-space') ?? (typeof space === 'string' ? space : undefined);
}

/**
 * Someone who administers the service: may use every space, and names one where the request is about one.
 * @throws Refusal 400 or 404
 */
export function operatorCaller(
  request: Request,
  { isForService }: AccessNeeds,
  { spaces, ...who }: { readonly spaces: SpaceSummaries } & Pick<Caller, 'actor' | 'isStillGood'>,
): Caller {
  const [only, ...others] = spaces.keys();
  const space = namedSpace(request) ?? (others.length === 0 ? only : undefined);
  const configured = [...spaces.keys()].join(', ') || 'none';
  const all = { scopes: EVERY_SCOPE, operator: true, readsContent: true, ...who };
  if (space === undefined && isForService) return { space: '', ...all };
  if (space === undefined && others.length > 0)
    throw new Refusal(400, 'no-space', 'This request names no space', {
      detail: `The operator may use every space, and ${spaces.size} are configured.`,
      hint: `Name one with --space, or in the header field Verbalis-Space: ${configured}.`,
    });
  if (space !== undefined && spaces.has(space)) return { space, ...all };
  throw new Refusal(404, 'unknown-space', 'There is no such space', {
    detail: `No space "${space ?? ''}" is configured.`,
    hint: `Configured: ${configured}.`,
  });
}

/** Who comes with a secret (Authorization: Bearer …): a key of a space, or the operator. @throws Refusal */
export type BearerAccess = (request: Request, secret: string, needs: AccessNeeds) => Caller;

export function bearerAccess({ store, clock, spaces, operatorSecret, guesses, noteUse }: KeyAccessOptions): BearerAccess {
  return (request, secret, needs) => {
    const address = plainAddress(request.ip ?? '');
    const found = store.access.findKey(secret, clock.now());
    if (found.kind === 'good' && spaces.has(found.key.space)) {
      const { id, name, space, scopes } = found.key;
      const asked = namedSpace(request);
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
      return {
        space,
        scopes: new Set(scopes),
        operator: false,
        actor: { kind: 'key', id, name },
        readsContent: true,
        key: callerKey(found.key),
        isStillGood: () => store.access.findKey(secret, clock.now()).kind === 'good',
      };
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
        return operatorCaller(request, needs, { spaces, actor: OPERATOR });
      }
      guesses.wrong(address, clock.elapsed());
    }
    throw new Refusal(401, 'wrong-key', 'This key is not known', {
      hint: 'Look for a cut or a space at its end; make a new one with: verbalis keys add NAME.',
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
