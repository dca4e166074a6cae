import { serve, type Feature, type Runtime, type Reader } from '../../kernel/index.js';
import type { Editions } from '../editions/index.js';
import type { Senders } from '../senders/index.js';
import type { SensitiveData } from '../sensitive-data/index.js';
import type { SpaceSettings } from '../spaces/index.js';
import { acceptor, type Acceptor } from './accept.js';
import { messageEndpoints, type MessageEndpoints } from './endpoints.js';
import { messageMetrics } from './metrics.js';
import { messageReadings, type Readings } from './readings.js';
import { messageRetention } from './retention.js';
import type { Store } from './store.js';
import type { DeliveryRow } from './tables.js';
import type { SigningRules } from './unsigned.js';

interface Options extends Pick<MessageEndpoints, 'wake' | 'compose' | 'waitsFor' | 'unlinked'> {
  readonly store: Store;
  readonly editions: Editions;
  readonly spaces: SpaceSettings;
  readonly limits: { readonly attachmentBytes: number; readonly recipients: number };
  /** Why a delivery must not be sent, in a sentence. */
  readonly suppressionFor: (delivery: DeliveryRow, from: Reader) => string | undefined;
  readonly signing: SigningRules;
  readonly senders: Senders;
  readonly sensitive: SensitiveData;
}

/** Messages and their deliveries: accepted, and kept with all that becomes known of them. */
export function openMessages(
  runtime: Runtime,
  options: Options,
): { readonly accept: Acceptor; readonly readings: Readings; readonly feature: Feature } {
  const { clock, ages, publicUrl } = runtime;
  const { store, editions, spaces, limits, suppressionFor, signing, senders, sensitive, wake, compose, waitsFor, unlinked } = options;
  const readings = messageReadings(editions, sensitive);
  const accept = acceptor({
    store,
    sensitive,
    editions,
    clock,
    spaces: new Map(Object.entries(spaces)),
    attachmentBytes: limits.attachmentBytes,
    maxRecipients: limits.recipients,
    suppressionFor,
    wake,
    senders,
    canLeave: publicUrl !== undefined,
    ...signing,
  });
  const feature: Feature = {
    name: 'messages',
    endpoints: serve(messageEndpoints, {
      store,
      clock,
      accept,
      metrics: messageMetrics(runtime),
      readings,
      wake,
      compose,
      waitsFor,
      unlinked,
    }),
    retention: [...messageRetention(store, ages), sensitive.retention],
  };
  return { accept, readings, feature };
}
