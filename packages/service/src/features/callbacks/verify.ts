import { createHash, createHmac, createPublicKey, timingSafeEqual, verify, type KeyObject } from 'node:crypto';
import type { CallbackSignature } from '../providers/index.js';

export type Verdict = { readonly ok: true } | { readonly ok: false; readonly why: string };

type Headers = Readonly<Record<string, string | string[] | undefined>>;

/** Begins the DER form of a bare Ed25519 key (RFC 8410 4). */
const ED25519_DER = Buffer.from('302a300506032b6570032100', 'hex');

function headerOf(headers: Headers, name: string): string {
  const value = headers[name.toLowerCase()];
  return (Array.isArray(value) ? value[0] : value) ?? '';
}

function same(a: Uint8Array, b: Uint8Array): boolean {
  // Of equal length whatever is compared.
  const hash = (bytes: Uint8Array): Buffer => createHash('sha256').update(bytes).digest();
  return timingSafeEqual(hash(a), hash(b));
}

function keyOf(text: string): KeyObject {
  if (text.includes('BEGIN')) return createPublicKey(text);
  const raw = Buffer.from(text, 'base64');
  return createPublicKey({ key: raw.length === 32 ? Buffer.concat([ED25519_DER, raw]) : raw, format: 'der', type: 'spki' });
}

/** Milliseconds since the epoch of what a header says. */
function timeOf(text: string): number {
  const number = Number(text);
  if (text.trim() !== '' && Number.isFinite(number)) return number < 1e11 ? number * 1000 : number;
  return Date.parse(text);
}

/**
 * Whether a call is the provider's: HMAC-SHA256 (RFC 2104) in hex or base64, Ed25519 (RFC 8032), a shared secret in a header field, or basic
 * authentication (RFC 7617). A signed time must be near; what it signs is put together as the profile says.
 */
export function verifyCall(signature: CallbackSignature, headers: Headers, body: Uint8Array, now: number): Verdict {
  const no = (why: string): Verdict => ({ ok: false, why });
  if (signature.kind === 'secret') {
    return same(Buffer.from(headerOf(headers, signature.header)), Buffer.from(signature.value))
      ? { ok: true }
      : no('The secret is not right.');
  }
  if (signature.kind === 'basic') {
    const given = /^Basic\s+(\S+)$/i.exec(headerOf(headers, 'authorization'))?.[1] ?? '';
    const wanted = Buffer.from(`${signature.user}:${signature.password}`);
    return same(Buffer.from(given, 'base64'), wanted) ? { ok: true } : no('User or password are not right.');
  }
  let given = headerOf(headers, signature.header);
  if (given === '') return no(`The header field "${signature.header}" is missing.`);
  let timestamp = signature.timestampHeader === undefined ? undefined : headerOf(headers, signature.timestampHeader);
  let candidates = [given];
  if (signature.parts !== undefined) {
    const parts = given
      .split(/[,;]\s*/)
      .map((text) => [text.slice(0, text.indexOf('=')).trim(), text.slice(text.indexOf('=') + 1)] as const);
    timestamp = parts.find(([name]) => name === signature.parts?.timestamp)?.[1];
    // While keys are changed there may be several.
    candidates = parts.filter(([name]) => name === signature.parts?.signature).map(([, value]) => value);
    given = candidates[0] ?? '';
  }
  if (signature.signed.includes('timestamp') || timestamp !== undefined) {
    const at = timeOf(timestamp ?? '');
    if (Number.isNaN(at)) return no('It has no time that can be read.');
    if (Math.abs(now - at) > signature.toleranceSeconds * 1000) return no('It is too old, or from the future.');
  }
  const before = signature.signed.split(/\{\{\s*([a-zA-Z.-]+)\s*\}\}/);
  const signed = Buffer.concat(
    before.map((part, i) => {
      if (i % 2 === 0) return Buffer.from(part);
      if (part === 'body') return Buffer.from(body);
      if (part === 'timestamp') return Buffer.from(timestamp ?? '');
      return Buffer.from(part.startsWith('header.') ? headerOf(headers, part.slice('header.'.length)) : '');
    }),
  );
  for (const candidate of candidates) {
    const text = candidate.startsWith(signature.prefix) ? candidate.slice(signature.prefix.length) : candidate;
    if (signature.kind === 'hmac-sha256') {
      const wanted = createHmac('sha256', signature.secret).update(signed).digest();
      if (same(Buffer.from(text, signature.encoding ?? 'hex'), wanted)) return { ok: true };
    } else {
      try {
        if (verify(null, signed, keyOf(signature.publicKey), Buffer.from(text, signature.encoding ?? 'base64'))) return { ok: true };
      } catch {
        return no('The key of the profile cannot be read.');
      }
    }
  }
  return no('The signature is not right.');
}
