import { Gauge, type Registry } from 'prom-client';
import type { Clock, Runtime } from '../../kernel/index.js';
import type { QueueCounts } from './counts.js';
import { shownKey } from './endpoints.js';

interface QueueMetrics extends Pick<Runtime, 'metricSpace'> {
  readonly clock: Clock;
  readonly counts: QueueCounts;
}

/** The queue and the attempts, for a monitoring system; no address and no data of a message is among them. */
export function queueMetrics(registry: Registry, { clock, counts, metricSpace }: QueueMetrics): void {
  const registers = [registry];
  new Gauge({
    name: 'verbalis_queue_deliveries',
    help: 'Deliveries that wait',
    labelNames: ['space', 'topic', 'priority', 'state'],
    registers,
    async collect() {
      const rows = await counts.queue();
      this.reset();
      for (const { fairnessKey, state, n } of rows) {
        const { space, topic = '', priority } = shownKey(fairnessKey);
        this.inc({ space: metricSpace(space), topic, priority, state }, n);
      }
    },
  });
  new Gauge({
    name: 'verbalis_queue_oldest_seconds',
    help: 'Age of the oldest delivery that waits',
    labelNames: ['space', 'priority'],
    registers,
    async collect() {
      const rows = await counts.queue();
      this.reset();
      const oldest = new Map<string, number>();
      for (const row of rows) {
        const { space, priority } = shownKey(row.fairnessKey);
        const key = JSON.stringify({ space: metricSpace(space), priority });
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
    async collect() {
      const rows = await counts.lastHour();
      this.reset();
      for (const { provider, outcome, n } of rows) this.set({ provider, outcome: outcome ?? 'under way' }, n);
    },
  });
}
