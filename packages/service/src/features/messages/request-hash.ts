import { createHash } from 'node:crypto';
import { isKeyedHash, type SensitiveData } from '../sensitive-data/index.js';
import type { MessageRequest } from './model.js';

/** Hashes of requests, by which one that comes again under its idempotency key is known. */
export interface RequestHashes {
  /** @param isSensitive whether the request holds sensitive data: then nobody can try values against its hash */
  readonly of: (request: MessageRequest, isSensitive: boolean, at: number) => string;
  readonly isOf: (hash: string, request: MessageRequest) => boolean;
}

export function requestHashes(sensitive: Pick<SensitiveData, 'hash' | 'isHashOf'>): RequestHashes {
  const plain = (request: MessageRequest): string => createHash('sha256').update(JSON.stringify(request)).digest('hex');
  return {
    of: (request, isSensitive, at) => (isSensitive ? sensitive.hash(JSON.stringify(request), at) : plain(request)),
    // Where its key is gone nobody can tell any more, and what was asked for twice must not be sent twice.
    isOf: (hash, request) => (isKeyedHash(hash) ? (sensitive.isHashOf(hash, JSON.stringify(request)) ?? true) : hash === plain(request)),
  };
}
