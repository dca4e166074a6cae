import { Gauge } from 'prom-client';
import { serve, type Feature, type Runtime, type Kernel } from '../../kernel/index.js';
import { quarantineEndpoints } from './endpoints.js';

/** Items that could not be processed, for people: listed, retried, dropped. */
export function openQuarantine({ registry, metricSpace, ages, workers }: Runtime, store: Kernel): Feature {
  const { quarantine } = store;
  new Gauge({
    name: 'verbalis_quarantine_items',
    help: 'Items that could not be processed and wait for a person',
    labelNames: ['worker', 'space'],
    registers: [registry],
    collect() {
      this.reset();
      for (const { worker, space, n } of quarantine.counts()) this.inc({ worker, space: metricSpace(space ?? '') }, n);
    },
  });
  new Gauge({
    name: 'verbalis_worker_failures',
    help: 'Steps in a row that failed, by worker; 0 when all is well',
    labelNames: ['worker'],
    registers: [registry],
    collect() {
      this.reset();
      for (const { name, failures } of workers.health()) this.set({ worker: name }, failures);
    },
  });
  return {
    name: 'quarantine',
    endpoints: serve(quarantineEndpoints, { store }),
    retention: [{ name: 'quarantined items', step: (tx, now) => quarantine.forget(tx, now - ages.records) }],
  };
}
