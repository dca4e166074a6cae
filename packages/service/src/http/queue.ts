import { Router } from 'express';
import { Counter, Gauge, Histogram, Registry } from 'prom-client';
import type { Clock, WorkerGroup } from '../kernel/index.js';
import { readLine, type Store } from '../store/index.js';
import { callerOf, needs } from './access.js';
import { sparing } from './sparing.js';

const HOUR = 3_600_000;

/** A line for people: what is kept here waits with what goes out. */
function shownLine(name: string): { priority: 'essential' | 'optional'; space: string; topic: string | undefined } {
  const { urgent, space, topic } = readLine(name);
  return { priority: urgent ? 'essential' : 'optional', space, topic };
}

/** What waits, for people: by topic and state, with the oldest. */
export function queueRouter(store: Store, clock: Clock): Router {
  const router = Router();
  const lastHour = sparing(() => store.deliveries.outcomes(clock.now() - HOUR));
  router.get('/', needs('read'), (request, response) => {
    const now = clock.now();
    const { space } = callerOf(request);
    const lines = store.deliveries
      .queue(now)
      .map((row) => ({
        ...shownLine(row.line),
        state: row.state,
        waiting: row.n,
        due: row.due,
        oldest: new Date(row.oldest).toISOString(),
      }))
      .filter((row) => row.space === space)
      .map(({ priority, topic, state, waiting, due, oldest }) => ({ priority, topic, state, waiting, due, oldest }));
    const providers = lastHour().map((row) => ({ provider: row.provider, outcome: row.outcome ?? 'under way', attempts: row.n }));
    response.json({
      waiting: lines.reduce((sum, row) => sum + row.waiting, 0),
      due: lines.reduce((sum, row) => sum + row.due, 0),
      oldest: lines.map((row) => row.oldest).sort()[0],
      lines,
      lastHour: providers,
    });
  });
  return router;
}

/** What is counted of what comes back. */
export interface ReturnCounts {
  readonly forged: () => number;
  readonly workers: WorkerGroup;
  readonly calls: { readonly events: number; readonly repeated: number; readonly unmatched: number };
}

export interface Metrics {
  readonly callRefused: (provider: string) => void;
  readonly registry: Registry;
  readonly accepted: Counter;
  readonly acceptance: Histogram;
}

/** Figures for a monitoring system (OpenMetrics); no address and no data of a mail is among them. */
export function makeMetrics(store: Store, clock: Clock, returned: ReturnCounts): Metrics {
  const registry = new Registry();
  // The library's types tie a registry to one format; the format is chosen here, once.
  (registry as unknown as Registry<typeof Registry.OPENMETRICS_CONTENT_TYPE>).setContentType(Registry.OPENMETRICS_CONTENT_TYPE);
  const registers = [registry];
  const lastHour = sparing(() => store.deliveries.outcomes(clock.now() - HOUR));
  const accepted = new Counter({
    name: 'verbalis_messages_accepted',
    help: 'Messages that were accepted',
    labelNames: ['space'],
    registers,
  });
  const acceptance = new Histogram({
    name: 'verbalis_acceptance_seconds',
    help: 'Time from a request to its 202',
    buckets: [0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5],
    registers,
  });
  new Gauge({
    name: 'verbalis_queue_deliveries',
    help: 'Deliveries that wait',
    labelNames: ['space', 'topic', 'priority', 'state'],
    registers,
    collect() {
      this.reset();
      for (const row of store.deliveries.queue(clock.now())) {
        const { space, topic = '', priority } = shownLine(row.line);
        this.set({ space, topic, priority, state: row.state }, row.n);
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
        const { space, priority } = shownLine(row.line);
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
      for (const row of lastHour()) this.set({ provider: row.provider, outcome: row.outcome ?? 'under way' }, row.n);
    },
  });
  const refusedCalls = new Counter({
    name: 'verbalis_callbacks_refused',
    help: 'Calls that did not show that they are the provider’s',
    labelNames: ['provider'],
    registers,
  });
  new Gauge({
    name: 'verbalis_returns_forged',
    help: 'Mails to return paths that were never made',
    registers,
    collect() {
      this.set(returned.forged());
    },
  });
  new Gauge({
    name: 'verbalis_callback_events',
    help: 'Events of providers since the start',
    labelNames: ['result'],
    registers,
    collect() {
      const { events, repeated, unmatched } = returned.calls;
      this.set({ result: 'repeated' }, repeated);
      this.set({ result: 'unmatched' }, unmatched);
      this.set({ result: 'taken' }, events - repeated - unmatched);
    },
  });
  new Gauge({
    name: 'verbalis_callbacks_waiting',
    help: 'Calls of providers that are not read yet',
    registers,
    collect() {
      this.set(store.returns.batchesWaiting());
    },
  });
  new Gauge({
    name: 'verbalis_quarantine_items',
    help: 'Items that could not be processed and wait for a person',
    labelNames: ['worker', 'space'],
    registers,
    collect() {
      this.reset();
      for (const { worker, space, n } of store.quarantine.counts()) this.set({ worker, space: space ?? '' }, n);
    },
  });
  new Gauge({
    name: 'verbalis_worker_failures',
    help: 'Steps in a row that failed, by worker; 0 when all is well',
    labelNames: ['worker'],
    registers,
    collect() {
      this.reset();
      for (const { name, failures } of returned.workers.health()) this.set({ worker: name }, failures);
    },
  });
  return {
    registry,
    accepted,
    acceptance,
    callRefused: (provider) => {
      refusedCalls.inc({ provider });
    },
  };
}
