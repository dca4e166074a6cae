import { Counter, Histogram, type Registry } from 'prom-client';

export interface MessageMetrics {
  readonly accepted: Counter;
  /** Seconds from a request to its answer. */
  readonly acceptance: Histogram;
}

/** What is counted of messages as they are accepted. */
export function messageMetrics(registry: Registry): MessageMetrics {
  const registers = [registry];
  return {
    accepted: new Counter({
      name: 'verbalis_messages_accepted',
      help: 'Messages that were accepted',
      labelNames: ['space'],
      registers,
    }),
    acceptance: new Histogram({
      name: 'verbalis_acceptance_seconds',
      help: 'Time from a request to its 202',
      buckets: [0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5],
      registers,
    }),
  };
}
