import { createPrivateKey, createPublicKey, generateKeyPair, type KeyObject } from 'node:crypto';

/** RSA with SHA-256 (RFC 6376 3.3.1), and Ed25519 (RFC 8463). */
export type KeyAlgorithm = 'rsa-sha256' | 'ed25519-sha256';

const RSA_BITS = 2048;

export interface MadeKey {
  readonly algorithm: KeyAlgorithm;
  /** PKCS #8 in PEM. */
  readonly privateKey: string;
}

/** Makes a signing key, on a thread: one of RSA takes up to a second. The one place in core that is not the same every time. */
export function makeKey(algorithm: KeyAlgorithm): Promise<MadeKey> {
  return new Promise((done, fail) => {
    const made = (error: Error | null, _publicKey: KeyObject, privateKey: KeyObject): void => {
      if (error === null) done({ algorithm, privateKey: privateKey.export({ type: 'pkcs8', format: 'pem' }) as string });
      else fail(error);
    };
    if (algorithm === 'rsa-sha256') generateKeyPair('rsa', { modulusLength: RSA_BITS }, made);
    else generateKeyPair('ed25519', undefined, made);
  });
}

/** @throws when the text is no private key of this kind */
export function importKey(algorithm: KeyAlgorithm, pem: string): KeyObject {
  const key = createPrivateKey(pem);
  const wanted = algorithm === 'rsa-sha256' ? 'rsa' : 'ed25519';
  if (key.asymmetricKeyType !== wanted)
    throw new Error(`This is a key for ${key.asymmetricKeyType ?? 'nothing known'}, not for ${wanted}.`);
  return key;
}

/** The text of the DNS record under SELECTOR._domainkey.DOMAIN (RFC 6376 3.6.1; RFC 8463 4). */
export function recordOf(algorithm: KeyAlgorithm, privateKey: KeyObject): string {
  const publicKey = createPublicKey(privateKey);
  if (algorithm === 'rsa-sha256') {
    return `v=DKIM1; k=rsa; p=${publicKey.export({ type: 'spki', format: 'der' }).toString('base64')}`;
  }
  // Its 32 bytes alone, without the wrapping of SPKI.
  const bytes = Buffer.from(publicKey.export({ format: 'jwk' }).x ?? '', 'base64url');
  return `v=DKIM1; k=ed25519; p=${bytes.toString('base64')}`;
}
