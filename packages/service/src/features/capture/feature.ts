import { mailBytes } from '@verbalis/core/mime';
import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import type { Job } from '../providers/index.js';
import type { ReturnIntake } from '../returns/index.js';
import { captureStore, type CaptureStore } from './capture.js';
import { captureEndpoints } from './endpoints.js';
import type { CaptureSettings } from './settings.js';
import { simulator } from './simulate.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly settings: CaptureSettings;
  readonly spaces: readonly string[];
  readonly intake: ReturnIntake;
  /** Makes return paths. */
  readonly returnSecret: Uint8Array;
  readonly returnHostFor: (senderDomain: string) => string;
}

export interface Capture {
  readonly capturing: CaptureStore;
  /** What the provider "capture" does with an email. */
  readonly keep: (job: Job) => Promise<void>;
  readonly feature: Feature;
}

const DAY = 24 * 3_600_000;

/** Email that is kept to be looked at instead of being sent. */
export function openCapture({ clock }: Runtime, { store, settings, spaces, intake, returnSecret, returnHostFor }: Options): Capture {
  const capturing = captureStore({ store, clock, most: settings.most, ageMs: settings.days * DAY });
  const simulate = simulator({
    store,
    clock,
    intake,
    bytesOf: (row) => capturing.bytesOf(row),
    returnHostFor,
    returnSecret,
  });
  return {
    capturing,
    async keep({ envelope, mail, parts }) {
      const delivery = store.deliveries.find(parts.deliveryId);
      const message = delivery === undefined ? undefined : store.messages.findAny(delivery.messageId);
      if (delivery === undefined || message === undefined) return;
      await capturing.keep({
        space: delivery.space,
        address: envelope.to,
        deliveryId: delivery.id,
        messageId: message.id,
        bytes: mailBytes(mail),
        contentId: message.more.raw,
      });
    },
    feature: {
      name: 'capture',
      endpoints: serve(captureEndpoints, { store, capturing, simulate }),
      retention: [{ name: 'captured mail', step: (tx) => spaces.reduce((sum, space) => sum + capturing.forget(tx, space), 0) }],
    },
  };
}
