import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';

const IV_BYTES = 12;
const TAG_BYTES = 16;

/** Seals a text with AES-256-GCM; `name` is bound to it, so that one row's secret cannot be moved to another. */
export function seal(key: Uint8Array, name: string, text: string): Buffer {
  const iv = randomBytes(IV_BYTES);
  const cipher = createCipheriv('aes-256-gcm', key, iv).setAAD(Buffer.from(name));
  const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
  return Buffer.concat([iv, cipher.getAuthTag(), sealed]);
}

/** @throws when the text was sealed with another key, or for another name */
export function unseal(key: Uint8Array, name: string, sealed: Buffer): string {
  const cipher = createDecipheriv('aes-256-gcm', key, sealed.subarray(0, IV_BYTES)).setAAD(Buffer.from(name));
  cipher.setAuthTag(sealed.subarray(IV_BYTES, IV_BYTES + TAG_BYTES));
  return Buffer.concat([cipher.update(sealed.subarray(IV_BYTES + TAG_BYTES)), cipher.final()]).toString('utf8');
}
