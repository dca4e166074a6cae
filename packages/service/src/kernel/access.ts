import { createHash, timingSafeEqual } from 'node:crypto';
import type { Request } from 'express';
import { Refusal } from './refusal.js';

/** What a key may do; `admin` may do everything in its space. */
export const SCOPES = ['send', 'read', 'write', 'admin'] as const;
export type Scope = (typeof SCOPES)[number];
export const EVERY_SCOPE: ReadonlySet<Scope> = new Set(SCOPES);

/** Who makes a request, and for which space. */
export interface Caller {
  readonly space: string;
  readonly scopes: ReadonlySet<Scope>;
  readonly operator: boolean;
}

/** Finds out who makes a request. @throws Refusal 401, 403 or 404 */
export type Access = (request: Request) => Caller;

/** @throws Refusal 403 when the caller's key has neither the scope nor `admin` */
export function requireScope(caller: Caller, scope: Scope): void {
  if (caller.scopes.has(scope) || caller.scopes.has('admin')) return;
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
