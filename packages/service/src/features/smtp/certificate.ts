import { readFileSync, statSync } from 'node:fs';
import { createSecureContext, type SecureContext } from 'node:tls';

/** Files in PEM. */
export interface CertificateFiles {
  readonly certFile: string;
  readonly keyFile: string;
}

const LOOK_MS = 1000;

/**
 * The certificate of a listener, read again when its files change, so that renewing it needs no restart. While the two do not fit each other,
 * the previous one stays. @throws when there is none to begin with
 */
export class Certificate {
  #context: SecureContext;
  #seen: string;
  #lookedAt = performance.now();

  constructor(
    private readonly files: CertificateFiles,
    /** Is called with what is wrong with new files. */
    private readonly warn: (problem: string) => void,
  ) {
    this.#seen = this.#stamp();
    this.#context = this.#read();
  }

  get context(): SecureContext {
    const now = performance.now();
    if (now - this.#lookedAt < LOOK_MS) return this.#context;
    this.#lookedAt = now;
    try {
      const stamp = this.#stamp();
      if (stamp !== this.#seen) {
        this.#context = this.#read();
        this.#seen = stamp;
      }
    } catch (error) {
      this.warn(`The new certificate cannot be used, the one of before stays: ${(error as Error).message}`);
    }
    return this.#context;
  }

  #stamp(): string {
    return [this.files.certFile, this.files.keyFile]
      .map((file) => ((stat) => `${stat.ino} ${stat.mtimeMs} ${stat.size}`)(statSync(file)))
      .join();
  }

  #read(): SecureContext {
    const { certFile, keyFile } = this.files;
    return createSecureContext({ cert: readFileSync(certFile), key: readFileSync(keyFile), minVersion: 'TLSv1.2' });
  }
}
