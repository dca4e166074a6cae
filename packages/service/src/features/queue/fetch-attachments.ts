import { mediaType } from '@verbalis/core/mime';
import type { Outcome } from '@verbalis/core/smtp';
import { fetchOutside, OutsideFault, type Clock, type OutsideRules } from '../../kernel/index.js';
import type { MessageRow } from '../messages/index.js';
import type { Store } from './store.js';

/** Where attachments may be fetched from, and how large and slow they may be. */
export type OutsideLimits = OutsideRules & { readonly waitMs: number; readonly mostBytes: number };

/** Fetches what is to be attached and is elsewhere; once, so that every attempt sends the same. @returns an outcome where that failed */
export async function fetchAttachments(
  message: MessageRow,
  { store, outside, clock }: { readonly store: Store; readonly outside: OutsideLimits; readonly clock: Clock },
): Promise<Outcome | undefined> {
  for (const row of store.contents.attachments(message)) {
    if (row.contentId !== null || row.url === null) continue;
    try {
      const { bytes, type } = await fetchOutside(row.url, outside, outside.mostBytes, outside.waitMs);
      await store.write((tx) => {
        const { id } = store.contents.keep(tx, bytes, clock.now());
        // A server that does not know says that it is just bytes; the name may tell.
        const found = type === '' || type === 'application/octet-stream' ? mediaType(row.name) : type;
        store.contents.fetched(tx, { messageId: message.id, n: row.n, contentId: id, type: row.type === '' ? found : row.type });
      });
    } catch (error) {
      if (!(error instanceof OutsideFault)) throw error;
      const reason = `The attachment "${row.name}" could not be fetched: ${error.message}`;
      return { kind: error.passing ? 'deferred' : 'refused', phase: 'fetch', reply: undefined, reason };
    }
  }
  return undefined;
}
