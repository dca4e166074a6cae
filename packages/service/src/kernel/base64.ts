import { createHash } from 'node:crypto';
import { invalid } from './refusal.js';

/** Contents that a publication brings; they must be what their hash says. */
export function fromBase64(text: string | undefined, hash: string): Buffer | undefined {
  if (text === undefined) return undefined;
  const bytes = Buffer.from(text, 'base64');
  if (createHash('sha256').update(bytes).digest('hex') !== hash)
    throw invalid([{ path: `contents.${hash}`, message: 'is not what its SHA-256 says' }]);
  return bytes;
}
