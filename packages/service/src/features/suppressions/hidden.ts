import { createHmac } from 'node:crypto';

/** Under which name the suppression of an erased address stands: only who has the master key can tell whose it is, by trying an address. */
export function hiddenKey(master: Uint8Array, key: string): string {
  return `erased:${createHmac('sha256', master).update(key).digest('hex').slice(0, 40)}`;
}
