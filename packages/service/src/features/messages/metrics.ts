import { Counter, Histogram } from 'prom-client';
import type { Runtime } from '../../kernel/index.js';

export interface MessageMetrics {
  /** Counts messages of a space. */
  readonly accepted: (space: string, n?: number) => void;
  /** Seconds from a request to its answer. */
  readonly acceptance: Histogram;
}

/** What is counted of messages as they are accepted. */
export function messageMetrics({ registry, metricSpace }: Pick<Runtime, 'registry' | 'metricSpace'>): MessageMetrics {
  const registers = [registry];
  const accepted = new Counter({
    name: 'verbalis_messages_accepted',
    help: 'Messages that were accepted',
    labelNames: ['space'],
    registers,
  });
  return {
    accepted: (space, n = 1) => {
      accepted.inc({ space: metricSpace(space) }, n);
    },
    acceptance: new Histogram({
      name: 'verbalis_acceptance_seconds',
      help: 'Time from a request to its 202',
      buckets: [0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5],
      registers,
    }),
  };
}
