import { createCipheriv, createDecipheriv, createHmac } from 'node:crypto';

const [IV_BYTES, TAG_BYTES] = [12, 16];

export interface SealedTokens {
  readonly seal: (text: string) => string;
  /** @returns undefined for a token that was not made with this key */
  readonly open: (token: string) => string | undefined;
}

/**
 * Tokens for addresses of pages that show nothing of what they stand for and cannot be altered (AES-256-GCM). The nonce follows from the text,
 * so that the same text gives the same token: an email that is made again is the same.
 */
export function sealedTokens(secret: Uint8Array): SealedTokens {
  const of = (use: string, text = ''): Buffer => createHmac('sha256', secret).update(`${use}\0${text}`).digest();
  const key = of('encrypt');
  return {
    seal(text) {
      const iv = of('nonce', text).subarray(0, IV_BYTES);
      const cipher = createCipheriv('aes-256-gcm', key, iv);
      const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
      return Buffer.concat([iv, cipher.getAuthTag(), sealed]).toString('base64url');
    },
    open(token) {
      if (!/^[\w-]{38,2000}$/.test(token)) return undefined;
      const bytes = Buffer.from(token, 'base64url');
      const cipher = createDecipheriv('aes-256-gcm', key, bytes.subarray(0, IV_BYTES));
      cipher.setAuthTag(bytes.subarray(IV_BYTES, IV_BYTES + TAG_BYTES));
      try {
        return Buffer.concat([cipher.update(bytes.subarray(IV_BYTES + TAG_BYTES)), cipher.final()]).toString('utf8');
      } catch {
        return undefined;
      }
    },
  };
}
