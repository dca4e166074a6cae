import { createHmac, timingSafeEqual } from 'node:crypto';

const PREFIX = 'whsec_';
/** Bytes of a secret: 24 to 64 (Standard Webhooks, "Signature scheme"). */
export const SECRET_BYTES = 32;

/** A secret as it is handed to the consumer. */
export function secretText(bytes: Uint8Array): string {
  return PREFIX + Buffer.from(bytes).toString('base64');
}

function keyOf(secret: string): Buffer {
  return Buffer.from(secret.startsWith(PREFIX) ? secret.slice(PREFIX.length) : secret, 'base64');
}

function signatureOf(secret: string, id: string, seconds: number, body: string): string {
  return `v1,${createHmac('sha256', keyOf(secret)).update(`${id}.${seconds}.${body}`).digest('base64')}`;
}

/**
 * The header fields that prove where a notification comes from (Standard Webhooks 1.0): one signature for each secret, so that a secret can be
 * changed without a gap.
 * @param at milliseconds since the epoch
 */
export function webhookHeaders(secrets: readonly string[], id: string, at: number, body: string): Record<string, string> {
  const seconds = Math.floor(at / 1000);
  return {
    'webhook-id': id,
    'webhook-timestamp': String(seconds),
    'webhook-signature': secrets.map((secret) => signatureOf(secret, id, seconds, body)).join(' '),
  };
}

/** Whether a notification is genuine and not older (or newer) than `toleranceMs`; for consumers and tests. */
export function isGenuine(
  secret: string,
  {
    headers,
    body,
    now,
    toleranceMs = 5 * 60_000,
  }: {
    readonly headers: Readonly<Record<string, string | undefined>>;
    readonly body: string;
    readonly now: number;
    readonly toleranceMs?: number;
  },
): boolean {
  const { 'webhook-id': id, 'webhook-timestamp': timestamp, 'webhook-signature': signatures } = headers;
  const seconds = Number(timestamp);
  if (id === undefined || signatures === undefined || !Number.isInteger(seconds) || Math.abs(now - seconds * 1000) > toleranceMs)
    return false;
  const wanted = Buffer.from(signatureOf(secret, id, seconds, body));
  return signatures.split(' ').some((text) => {
    const found = Buffer.from(text);
    return found.length === wanted.length && timingSafeEqual(found, wanted);
  });
}
