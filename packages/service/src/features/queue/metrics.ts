import { Gauge, type Registry } from 'prom-client';
import type { Clock } from '../../kernel/index.js';
import { shownKey, type QueueEndpoints } from './endpoints.js';
import type { Store } from './store.js';

interface QueueMetrics {
  readonly store: Store;
  readonly clock: Clock;
  readonly lastHour: QueueEndpoints['lastHour'];
}

/** The queue and the attempts, for a monitoring system; no address and no data of a message is among them. */
export function queueMetrics(registry: Registry, { store, clock, lastHour }: QueueMetrics): void {
  const registers = [registry];
  new Gauge({
    name: 'verbalis_queue_deliveries',
    help: 'Deliveries that wait',
    labelNames: ['space', 'topic', 'priority', 'state'],
    registers,
    collect() {
      this.reset();
      for (const { fairnessKey, state, n } of store.deliveries.queue(clock.now())) {
        const { space, topic = '', priority } = shownKey(fairnessKey);
        this.inc({ space, topic, priority, state }, n);
      }
    },
  });
  new Gauge({
    name: 'verbalis_queue_oldest_seconds',
    help: 'Age of the oldest delivery that waits',
    labelNames: ['space', 'priority'],
    registers,
    collect() {
      this.reset();
      const oldest = new Map<string, number>();
      for (const row of store.deliveries.queue(clock.now())) {
        const { space, priority } = shownKey(row.fairnessKey);
        const key = JSON.stringify({ space, priority });
        oldest.set(key, Math.min(oldest.get(key) ?? row.oldest, row.oldest));
      }
      for (const [key, at] of oldest)
        this.set(JSON.parse(key) as { space: string; priority: string }, Math.max(0, clock.now() - at) / 1000);
    },
  });
  new Gauge({
    name: 'verbalis_attempts_last_hour',
    help: 'Attempts of the last hour by provider and outcome',
    labelNames: ['provider', 'outcome'],
    registers,
    collect() {
      this.reset();
      for (const { provider, outcome, n } of lastHour()) this.set({ provider, outcome: outcome ?? 'under way' }, n);
    },
  });
}
