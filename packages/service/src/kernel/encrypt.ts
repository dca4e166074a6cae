import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';

const IV_BYTES = 12;
const TAG_BYTES = 16;

/** Seals a text with AES-256-GCM; `name` is bound to it, so that one row's secret cannot be moved to another. */
export function encrypt(key: Uint8Array, name: string, text: string): Buffer {
  const iv = randomBytes(IV_BYTES);
  const cipher = createCipheriv('aes-256-gcm', key, iv).setAAD(Buffer.from(name));
  const encrypted = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
  return Buffer.concat([iv, cipher.getAuthTag(), encrypted]);
}

/** @throws when the text was encrypted with another key, or for another name */
export function decrypt(key: Uint8Array, name: string, encrypted: Buffer): string {
  const cipher = createDecipheriv('aes-256-gcm', key, encrypted.subarray(0, IV_BYTES)).setAAD(Buffer.from(name));
  cipher.setAuthTag(encrypted.subarray(IV_BYTES, IV_BYTES + TAG_BYTES));
  return Buffer.concat([cipher.update(encrypted.subarray(IV_BYTES + TAG_BYTES)), cipher.final()]).toString('utf8');
}
