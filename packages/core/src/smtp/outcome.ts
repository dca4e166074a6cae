import type { Cause } from './cause-names.js';
import type { Reply } from './reply.js';

/** Where in a hand-over something happened. */
export const PHASES = [
  'connect',
  'greeting',
  'hello',
  'secure',
  'login',
  'sender',
  'recipient',
  'data',
  'content',
  'request',
  'answer',
  'fetch',
] as const;
export type Phase = (typeof PHASES)[number];

/** One recipient, one return path: the envelope of one delivery. */
export interface Envelope {
  /** Return path; "" is the null path. */
  readonly from: string;
  readonly to: string;
  /** What we call this delivery, so that reports can name it (ENVID and ORCPT, RFC 3461). */
  readonly id?: string;
}

/**
 * What a provider's trouble concerns: all of it; what it accepts from our sender's domain; what it accepts for a recipient's domain; or
 * this one message, which another provider may accept.
 */
export type TroubleScope = 'provider' | 'sender' | 'domain' | 'message';

/**
 * How a hand-over ended.
 * - `accepted`.
 * - `deferred`: this recipient, later.
 * - `refused`: this recipient, permanently.
 * - `rejected`: the request itself is at fault, and so are we; the recipient is not.
 * - `trouble`: the provider, not the recipient, is at fault; `scope` names how much of it.
 * - `uncertain`: the answer was lost after the last byte of content may have left, so the email may or may not be accepted.
 */
export interface Outcome {
  readonly kind: 'accepted' | 'refused' | 'deferred' | 'rejected' | 'trouble' | 'uncertain';
  readonly phase: Phase;
  readonly reply: Reply | undefined;
  /** Of a trouble; the whole provider when left out. */
  readonly scope?: TroubleScope | undefined;
  /** Why, where the phase or a profile shows it and the reply does not. */
  readonly cause?: Cause | undefined;
  /** What happened, where there is no reply that says it. */
  readonly reason?: string | undefined;
  /** What the provider calls the mail, where it says so. */
  readonly providerId?: string | undefined;
  /** How long the provider asks to wait, in milliseconds. */
  readonly retryAfterMs?: number | undefined;
  /** Of an uncertain one: for so long after the first such attempt the provider knows the email again and accepts it once, in milliseconds. */
  readonly repeatableMs?: number | undefined;
}
