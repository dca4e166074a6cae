import type { Reply } from './reply.js';

/** Where in a hand-over something happened. */
export type Phase =
  'connect' | 'greeting' | 'hello' | 'secure' | 'login' | 'sender' | 'recipient' | 'data' | 'content' | 'request' | 'answer' | 'fetch';

/** One recipient, one return path: the envelope of one delivery. */
export interface Envelope {
  /** Return path; "" is the null path. */
  readonly from: string;
  readonly to: string;
  /** What we call this delivery, so that reports can name it (ENVID and ORCPT, RFC 3461). */
  readonly id?: string;
}

/**
 * How a hand-over ended.
 * `refused`: for good. `deferred`: not now. `trouble`: the server, not the mail, is at fault. `uncertain`: the connection was lost after
 * the final dot and before the reply, so the mail may or may not be taken.
 */
export interface Outcome {
  readonly kind: 'accepted' | 'refused' | 'deferred' | 'trouble' | 'uncertain';
  readonly phase: Phase;
  readonly reply: Reply | undefined;
  /** What happened, where there is no reply that says it. */
  readonly reason?: string | undefined;
  /** What the provider calls the mail, where it says so. */
  readonly providerId?: string | undefined;
  /** How long the provider asks to wait, in milliseconds. */
  readonly retryAfterMs?: number | undefined;
}

/** What a reply to an email means. 421 and 5xx about the session are the server's trouble, not the mail's. */
export function classify(reply: Reply): Outcome['kind'] {
  if (reply.code === 421 || reply.code === 530 || reply.code === 538) return 'trouble';
  if (reply.code >= 200 && reply.code < 300) return 'accepted';
  return reply.code >= 500 ? 'refused' : 'deferred';
}
