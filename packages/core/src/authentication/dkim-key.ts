import { createPublicKey, type KeyObject } from 'node:crypto';
import { bare, readTags } from './tags.js';

/** A public key as its DNS record has it (RFC 6376 3.6.1; RFC 8463 4). */
export interface DkimKey {
  readonly kind: 'rsa' | 'ed25519';
  readonly key: KeyObject;
  /** Of an RSA modulus. */
  readonly bits: number | undefined;
  /** Hashes that it may be used with; all where it is undefined. */
  readonly hashes: readonly string[] | undefined;
  /** The domain only tries DKIM. */
  readonly isTesting: boolean;
  /** Signatures must not name an identity in a subdomain. */
  readonly isStrict: boolean;
}

/** RSA keys with fewer bits hold nothing (RFC 8301 3.2). */
const LEAST_BITS = 1024;
/** What comes before the 32 bytes of a key in SPKI (RFC 8410 4). */
const ED25519_PREFIX = Buffer.from('302a300506032b6570032100', 'hex');

/** Reads a key record. @returns what is wrong with it, in words that follow "its key" */
export function readDkimKey(record: string): DkimKey | { readonly fault: string } {
  const tags = readTags(record);
  if (tags === undefined) return { fault: 'is not a list of tags' };
  const version = tags.get('v');
  if (version !== undefined && (version !== 'DKIM1' || [...tags.keys()][0] !== 'v')) return { fault: 'has a version that is not DKIM1' };
  const kind = tags.get('k') ?? 'rsa';
  if (kind !== 'rsa' && kind !== 'ed25519') return { fault: `is of the kind "${kind}", which nobody knows` };
  const services = bare(tags.get('s') ?? '*').split(':');
  if (!services.includes('*') && !services.includes('email')) return { fault: 'is not for email' };
  const value = tags.get('p');
  if (value === undefined) return { fault: 'has no p=' };
  const text = bare(value);
  if (text === '') return { fault: 'was revoked: its p= is empty' };
  if (!/^[A-Za-z0-9+/]+={0,2}$/.test(text)) return { fault: 'has a p= that is not base64' };
  const key = keyOf(kind, Buffer.from(text, 'base64'));
  if (key === undefined) return { fault: `has a p= that is not a key for ${kind}` };
  const bits = key.asymmetricKeyDetails?.modulusLength;
  if (bits !== undefined && bits < LEAST_BITS) return { fault: `has ${bits} bits; ${LEAST_BITS} are the least that count` };
  const hashes = tags.get('h');
  const flags = bare(tags.get('t') ?? '').split(':');
  return {
    kind,
    key,
    bits,
    hashes: hashes === undefined ? undefined : bare(hashes).split(':'),
    isTesting: flags.includes('y'),
    isStrict: flags.includes('s'),
  };
}

function keyOf(kind: 'rsa' | 'ed25519', bytes: Buffer): KeyObject | undefined {
  if (kind === 'ed25519')
    return bytes.length === 32 ? createPublicKey({ key: Buffer.concat([ED25519_PREFIX, bytes]), format: 'der', type: 'spki' }) : undefined;
  // Most are wrapped as SPKI, some are the bare RSAPublicKey of the standard's grammar.
  for (const type of ['spki', 'pkcs1'] as const) {
    try {
      const key = createPublicKey({ key: bytes, format: 'der', type });
      if (key.asymmetricKeyType === 'rsa') return key;
    } catch {
      // It is the other, or none.
    }
  }
  return undefined;
}
