import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import type { MeaninglessCalls } from '../callbacks/index.js';
import type { Feed } from '../events/index.js';
import type { Acceptor } from '../messages/index.js';
import type { DomainTroubles, ServiceTroubles } from './built-in.js';
import { alertEndpoints } from './endpoints.js';
import { alertNotices } from './notices.js';
import { alertRetention } from './retention.js';
import { alertRules, type RulesOf } from './rules.js';
import type { Store } from './store.js';
import { alertWatch } from './watch.js';

interface Options {
  readonly store: Store;
  readonly settings: RulesOf;
  readonly feed: Feed;
  readonly accept: Acceptor;
  /** Calls of providers in which their profile found nothing. */
  readonly meaningless: MeaninglessCalls;
  readonly troubles: ServiceTroubles;
  readonly domains: DomainTroubles;
  /** Whom to notify, by space. */
  readonly operators: ReadonlyMap<string, string | undefined>;
}

/** Rules over what happens, and the alerts that follow from them. */
export function openAlerts(
  { clock, log, workers, publicUrl, ages }: Runtime,
  { store, settings, feed, accept, meaningless, troubles, domains, operators }: Options,
): Feature {
  const rules = alertRules(settings, store);
  const alerting = alertWatch({ store, workers, clock, log, feed, rules, meaningless, troubles, domains });
  return {
    name: 'alerts',
    endpoints: serve(alertEndpoints, { store, clock, rules, alerting }),
    running: [alerting, alertNotices({ store, workers, clock, accept, feed, operators, publicUrl })],
    retention: alertRetention(store, ages),
    memory: () => ({ rules: alerting.memory() }),
  };
}
