import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import type { Editions } from '../editions/index.js';
import type { Feed } from '../events/index.js';
import type { Acceptor } from '../messages/index.js';
import type { SensitiveData } from '../sensitive-data/index.js';
import { signalEndpoints } from './endpoints.js';
import { signalEngine } from './engine.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly editions: Editions;
  readonly accept: Acceptor;
  readonly feed: Feed;
  readonly sensitive: SensitiveData;
  /** Whether a space sends nothing: then sensitive data are as all others. */
  readonly isCapturing: (space: string) => boolean;
  /** The largest request, in bytes. */
  readonly mostBytes: number;
}

/** Signals: the app says what happened, and rules of the mail folder say which emails follow. */
export function openSignals(
  { clock, log, workers, registry, ages }: Runtime,
  { store, editions, accept, feed, sensitive, isCapturing, mostBytes }: Options,
): Feature {
  const engine = signalEngine({ store, clock, log, workers, registry, editions, accept, sensitive, reported: feed.reported });
  return {
    name: 'signals',
    endpoints: serve(signalEndpoints, { store, clock, editions, sensitive, isCapturing, wake: engine.wake, mostBytes }),
    running: [engine],
    clockJumped: async ({ from, to }) => {
      await store.write((tx) => store.signalMatches.moveWaits(tx, to - from));
      engine.wake();
    },
    retention: [
      { name: 'sensitive data of signals', step: (tx) => store.signals.forgetSensitive(tx) },
      { name: 'data of signals', step: (tx, now) => store.signals.forgetData(tx, now - ages.bytes) },
      { name: 'signals', step: (tx, now) => store.signals.forget(tx, now - ages.records) },
    ],
  };
}
