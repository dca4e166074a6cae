import { Counter, Gauge, type Registry } from 'prom-client';
import type { MeaninglessCalls } from './meaningless.js';
import type { CallbackReceiver } from './receiver.js';
import type { Store } from './store.js';

interface CallbackMetrics {
  readonly store: Store;
  readonly receiver: CallbackReceiver;
  readonly meaningless: MeaninglessCalls;
}

/** What is counted of providers' calls. @returns counts a call that was refused */
export function callbackMetrics(registry: Registry, { store, receiver, meaningless }: CallbackMetrics): (provider: string) => void {
  const registers = [registry];
  const refused = new Counter({
    name: 'verbalis_callbacks_refused',
    help: 'Calls whose signature did not show that they are the provider’s',
    labelNames: ['provider'],
    registers,
  });
  new Gauge({
    name: 'verbalis_callback_events',
    help: 'Events of providers since the start',
    labelNames: ['result'],
    registers,
    collect() {
      const { events, repeated, unmatched } = receiver.counts;
      this.set({ result: 'repeated' }, repeated);
      this.set({ result: 'unmatched' }, unmatched);
      this.set({ result: 'accepted' }, events - repeated - unmatched);
    },
  });
  new Counter({
    name: 'verbalis_callbacks_meaningless',
    help: 'Calls in which the profile of the provider found nothing',
    labelNames: ['provider'],
    registers,
    collect() {
      this.reset();
      for (const [provider, { calls }] of meaningless.byProvider) this.inc({ provider }, calls);
    },
  });
  new Gauge({
    name: 'verbalis_callbacks_waiting',
    help: 'Calls of providers that are not read yet',
    registers,
    collect() {
      this.set(store.callbacks.waiting());
    },
  });
  return (provider) => {
    refused.inc({ provider });
  };
}
