import type { Router } from 'express';
import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import type { SpaceSettings } from '../spaces/index.js';
import { confirmPages } from './confirm-pages.js';
import { confirming, type ConfirmOptions } from './confirming.js';
import { senderEndpoints } from './endpoints.js';

interface Options extends Omit<ConfirmOptions, 'clock' | 'publicUrl'> {
  readonly spaces: SpaceSettings;
}

export interface SenderConfirmations {
  /** Pages that need no key. */
  readonly pages: Router;
  readonly feature: Feature;
}

/** Addresses that spaces send as: added by operators, confirmed by their owners. */
export function openSenderConfirmations({ clock, publicUrl }: Runtime, { spaces, ...options }: Options): SenderConfirmations {
  const confirm = confirming({ ...options, clock, publicUrl });
  const { store, senders, editions } = options;
  return {
    pages: confirmPages(confirm),
    feature: {
      name: 'sender-confirmations',
      endpoints: serve(senderEndpoints, { store, senders, editions, spaces, confirming: confirm }),
    },
  };
}
