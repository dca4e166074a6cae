import { createHash, timingSafeEqual } from 'node:crypto';
import type { Request } from 'express';
import { Refusal } from './refusal.js';

/**
 * What a key may do; `send` includes `signals`, and `manage` may do everything in its space but read sensitive data, and nothing beyond it.
 */
export const SCOPES = ['signals', 'send', 'read', 'write', 'manage', 'read-sensitive'] as const;
export type Scope = (typeof SCOPES)[number];
export const EVERY_SCOPE: ReadonlySet<Scope> = new Set(SCOPES);

/** What a key may be used for beside its scopes. What is left out has no bound. */
export interface KeyBounds {
  readonly templates?: readonly string[] | undefined;
  readonly topics?: readonly string[] | undefined;
  /** Addresses or domains, also with "*". */
  readonly senders?: readonly string[] | undefined;
  readonly recipients?: readonly string[] | undefined;
  /** IP addresses or networks. */
  readonly usedFrom?: readonly string[] | undefined;
  /** So many emails (messages by recipients) within an hour. */
  readonly perHour?: number | undefined;
}

/** The key with which a request was made. */
export interface CallerKey {
  readonly id: string;
  readonly bounds: KeyBounds;
}

/** Who does something: a person, a key, who has the operator's secret, or who sits at this machine. */
export interface Actor {
  readonly kind: 'person' | 'key' | 'operator' | 'preview' | 'nobody';
  /** Of a person or a key. */
  readonly id?: string | undefined;
  /** As people read it: an address, the name of a key. */
  readonly name: string;
}
export const NOBODY: Actor = { kind: 'nobody', name: 'nobody' };

/** Who makes a request, and for which space. */
export interface Caller {
  readonly space: string;
  readonly scopes: ReadonlySet<Scope>;
  readonly operator: boolean;
  readonly actor: Actor;
  /** Whether it may read what emails say. */
  readonly readsContent: boolean;
  readonly key?: CallerKey | undefined;
  /** Asked again and again while a stream is open: whether it would still be let in. */
  readonly isStillGood?: (() => boolean) | undefined;
}

/** What an endpoint asks of its caller: a scope of a key, or to be the operator of the service. */
export type NeededScope = Scope | 'operator';

/** Whether an endpoint is about the service: then the operator need not name a space, and the caller's is empty where none was named. */
export interface AccessNeeds {
  readonly isForService: boolean;
}

/** Finds out who makes a request. @throws Refusal 400, 401, 403, 404 or 429 */
export type Access = (request: Request, needs: AccessNeeds) => Caller;

/** @throws Refusal 403 when the caller may not do that */
export function requireScope(caller: Caller, scope: NeededScope): void {
  if (caller.operator) return;
  if (scope === 'operator')
    throw new Refusal(403, 'operators-only', 'Only the operator of the service may do that', {
      detail: 'It concerns the whole service, and a key is of one space.',
      hint: 'Use the operator’s secret (VERBALIS_OPERATOR_SECRET), or sign in as an operator of every space.',
    });
  if (caller.scopes.has(scope) || (scope === 'signals' && caller.scopes.has('send'))) return;
  if (caller.scopes.has('manage') && scope !== 'read-sensitive') return;
  if (caller.actor.kind === 'person')
    throw new Refusal(403, 'missing-role', 'Your role does not allow that', {
      detail: `In the space "${caller.space}" it takes the role ${scope === 'manage' || scope === 'read-sensitive' ? 'operator' : 'member'}.`,
      hint: 'An operator can change your role: verbalis people role.',
    });
  throw new Refusal(403, 'missing-scope', 'This key may not do that', {
    detail: `It needs the scope "${scope}".`,
    hint: `It has: ${[...caller.scopes].join(', ')}.`,
  });
}

/** @throws Refusal 403 when the caller may not read what emails say */
export function requireContent({ readsContent }: Caller): void {
  if (readsContent) return;
  throw new Refusal(403, 'no-content', 'Your role does not show what emails say', {
    detail: 'A viewer sees that an email was sent and what came of it.',
    hint: 'An operator can allow it: verbalis people role EMAIL --role SPACE=viewer+content.',
  });
}

/** Compares two secrets in the same time whatever they hold. */
export function sameSecret(a: string, b: string): boolean {
  const hash = (text: string): Buffer => createHash('sha256').update(text).digest();
  return timingSafeEqual(hash(a), hash(b));
}
