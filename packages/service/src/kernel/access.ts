import { createHash, timingSafeEqual } from 'node:crypto';
import type { Request } from 'express';
import { Refusal } from './refusal.js';

/** What a key may do; `send` includes `signals`, and `manage` may do everything in its space, and nothing beyond it. */
export const SCOPES = ['signals', 'send', 'read', 'write', 'manage'] as const;
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

/** Who makes a request, and for which space. */
export interface Caller {
  readonly space: string;
  readonly scopes: ReadonlySet<Scope>;
  readonly operator: boolean;
  readonly key?: CallerKey | undefined;
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
      hint: 'Use the operator’s secret (VERBALIS_OPERATOR_SECRET).',
    });
  if (caller.scopes.has(scope) || caller.scopes.has('manage') || (scope === 'signals' && caller.scopes.has('send'))) return;
  throw new Refusal(403, 'missing-scope', 'This key may not do that', {
    detail: `It needs the scope "${scope}".`,
    hint: `It has: ${[...caller.scopes].join(', ')}.`,
  });
}

/** Compares two secrets in the same time whatever they hold. */
export function sameSecret(a: string, b: string): boolean {
  const hash = (text: string): Buffer => createHash('sha256').update(text).digest();
  return timingSafeEqual(hash(a), hash(b));
}
