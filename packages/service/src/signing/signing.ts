import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';
import { importKey, makeKey, recordOf, type KeyAlgorithm, type SigningKey } from '@verbalis/core/dkim';
import type { Store } from '../store/index.js';

export type Signing = ReturnType<typeof signing>;

const IV_BYTES = 12;
const TAG_BYTES = 16;

/** Seals a text with AES-256-GCM; `name` is bound to it, so that one row's secret cannot be moved to another. */
function seal(key: Uint8Array, name: string, text: string): Buffer {
  const iv = randomBytes(IV_BYTES);
  const cipher = createCipheriv('aes-256-gcm', key, iv).setAAD(Buffer.from(name));
  const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
  return Buffer.concat([iv, cipher.getAuthTag(), sealed]);
}

function unseal(key: Uint8Array, name: string, sealed: Buffer): string {
  const cipher = createDecipheriv('aes-256-gcm', key, sealed.subarray(0, IV_BYTES)).setAAD(Buffer.from(name));
  cipher.setAuthTag(sealed.subarray(IV_BYTES, IV_BYTES + TAG_BYTES));
  return Buffer.concat([cipher.update(sealed.subarray(IV_BYTES + TAG_BYTES)), cipher.final()]).toString('utf8');
}

/** Not every receiver knows Ed25519 yet; those that do prefer it. */
const BOTH: readonly KeyAlgorithm[] = ['rsa-sha256', 'ed25519-sha256'];

/** The keys that sign for a domain: made here, kept sealed, unsealed once. */
export function signing(store: Store, master: Uint8Array) {
  const ready = new Map<string, readonly SigningKey[]>();
  const nameOf = (domain: string, selector: string): string => `${selector}._domainkey.${domain}`;
  return {
    /** Makes a key of each algorithm for a domain that has none. @returns the records to publish */
    add(domain: string, now: number, algorithms: readonly KeyAlgorithm[] = BOTH): { name: string; text: string }[] {
      if (store.signingKeys.of(domain).length === 0) {
        const stamp = new Date(now).toISOString().slice(0, 10).replaceAll('-', '');
        for (const algorithm of algorithms) {
          const selector = `v${stamp}${algorithm.charAt(0)}`;
          const made = makeKey(algorithm);
          store.signingKeys.add({
            domain,
            selector,
            algorithm,
            sealed: seal(master, nameOf(domain, selector), made.privateKey),
            record: recordOf(algorithm, importKey(algorithm, made.privateKey)),
            createdAt: now,
          });
        }
        ready.delete(domain);
      }
      return this.records(domain);
    },

    records(domain: string): { name: string; text: string }[] {
      return store.signingKeys.of(domain).map((row) => ({ name: nameOf(domain, row.selector), text: row.record }));
    },

    domains(): string[] {
      return [...new Set(store.signingKeys.all().map((row) => row.domain))];
    },

    /** The keys for a sender's domain: its own, or those of a domain above it. */
    keysFor(domain: string): readonly SigningKey[] {
      let keys = ready.get(domain);
      if (keys === undefined) {
        keys = [];
        for (let at = domain; at.includes('.') && keys.length === 0; at = at.slice(at.indexOf('.') + 1)) {
          keys = store.signingKeys.of(at).map((row) => ({
            domain: row.domain,
            selector: row.selector,
            algorithm: row.algorithm,
            key: importKey(row.algorithm, unseal(master, nameOf(row.domain, row.selector), row.sealed)),
          }));
        }
        // A domain without a key may get one: that is looked for again.
        if (keys.length > 0) ready.set(domain, keys);
      }
      return keys;
    },
  };
}
