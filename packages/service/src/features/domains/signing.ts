import { importKey, makeKey, recordOf, type KeyAlgorithm, type SigningKey } from '@verbalis/core/dkim';
import type { Store } from './store.js';
import { encrypt, decrypt } from '../../kernel/index.js';

export type Signing = ReturnType<typeof signing>;

/** Not every receiver knows Ed25519 yet; those that do prefer it. */
const BOTH: readonly KeyAlgorithm[] = ['rsa-sha256', 'ed25519-sha256'];

/** The keys that sign for a domain: made here, kept encrypted, decrypted once. */
export function signing(store: Store, master: Uint8Array) {
  const ready = new Map<string, readonly SigningKey[]>();
  const nameOf = (domain: string, selector: string): string => `${selector}._domainkey.${domain}`;
  return {
    /** Makes a key of each algorithm for a domain that has none. @returns the records to publish */
    async add(domain: string, now: number, algorithms: readonly KeyAlgorithm[] = BOTH): Promise<{ name: string; text: string }[]> {
      if (store.signingKeys.of(domain).length === 0) {
        const stamp = new Date(now).toISOString().slice(0, 10).replaceAll('-', '');
        // Making a key takes a while: not while others wait to write.
        const rows = algorithms.map((algorithm) => {
          const selector = `v${stamp}${algorithm.charAt(0)}`;
          const made = makeKey(algorithm);
          return {
            domain,
            selector,
            algorithm,
            encrypted: encrypt(master, nameOf(domain, selector), made.privateKey),
            record: recordOf(algorithm, importKey(algorithm, made.privateKey)),
            createdAt: now,
          };
        });
        await store.write((tx) => {
          // Somebody else may have asked for the same at the same time: the first keys stay.
          if (store.signingKeys.of(domain, tx).length > 0) return;
          for (const row of rows) store.signingKeys.add(tx, row);
          tx.afterCommit(() => {
            ready.clear();
          });
        });
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
            key: importKey(row.algorithm, decrypt(master, nameOf(row.domain, row.selector), row.encrypted)),
          }));
        }
        // A domain without a key may get one: that is looked for again.
        if (keys.length > 0) ready.set(domain, keys);
      }
      return keys;
    },
  };
}
