import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import { uploadEndpoints } from './endpoints.js';
import { attachmentRetention } from './retention.js';
import type { Store } from './store.js';

/** Files that are attached to messages. @param mostBytes of one upload */
export function openAttachments({ clock, ages }: Runtime, store: Store, mostBytes: number): Feature {
  return {
    name: 'attachments',
    endpoints: serve(uploadEndpoints, { store, clock, mostBytes }),
    retention: attachmentRetention(store, ages),
  };
}
