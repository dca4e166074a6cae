import { USUAL_RETRIES, type Cause, type RetryPlan, type RetryRule, type RouteEntry, type ProviderRouter } from '@verbalis/core/delivery';
import type { Logger } from 'pino';
import { serve, type Feature, type Runtime, type OutsideRules, type Reader } from '../../kernel/index.js';
import type { EmailLinks } from '../composing/index.js';
import type { SigningKey } from '@verbalis/core/dkim';
import type { EditionParts, Editions } from '../editions/index.js';
import type { Feed } from '../events/index.js';
import type { Domains } from '../domains/index.js';
import type { Holding } from '../holds/index.js';
import type { DeliveryRow, MessageRow, Readings } from '../messages/index.js';
import { captureProvider, type Job, type Provider, type ProvidersOf } from '../providers/index.js';
import type { SpaceSettings } from '../spaces/index.js';
import { Dispatcher, type RouteName } from './dispatcher.js';
import { queueCounts } from './counts.js';
import { queueEndpoints } from './endpoints.js';
import { handOver, type HandOverSources } from './hand-over.js';
import { queueMetrics } from './metrics.js';
import { handOverPool, type Elsewhere, type HandOverPool } from './pool.js';
import { providerEvents } from './provider-events.js';
import type { QueueSettings } from './settings.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly settings: ProvidersOf & { readonly log: { readonly level: string } };
  readonly queue: QueueSettings;
  readonly spaces: SpaceSettings;
  readonly feed: Feed;
  /** The providers of each space that delivers. */
  readonly routes: readonly (readonly string[])[];
  /** The folder that paths of the configuration begin at. */
  readonly folder: string;
  /** How many threads hand over; 0 where this one does. */
  readonly threads: number;
  readonly providers: ReadonlyMap<string, Provider>;
  readonly router: ProviderRouter;
  readonly editions: Editions;
  readonly domains: Domains;
  readonly capture: (job: Job) => Promise<void>;
  readonly outside: OutsideRules & { readonly waitMs: number; readonly mostBytes: number };
  /** Makes return paths that nobody can forge. */
  readonly returnSecret: Uint8Array;
  /** What of an email leads to the service. */
  readonly linksOf: (message: MessageRow, delivery: DeliveryRow) => EmailLinks;
  readonly readings: Readings;
  /** Processes elsewhere that hand over; they ask for what they need of the database. */
  readonly elsewhere?: ((methods: WorkerMethods) => Elsewhere) | undefined;
  /** What people want held. */
  readonly holding: Holding;
  /** Why a delivery must not be sent, in a sentence. */
  readonly suppressionFor: (delivery: DeliveryRow, from: Reader) => string | undefined;
}

/** What a process that hands over needs of the database. */
export interface WorkerMethods {
  readonly edition: (of: { readonly space: string; readonly number: number }) => Promise<EditionParts | undefined>;
  readonly keys: (domain: string) => readonly SigningKey[];
}

export interface Queue {
  readonly wake: () => void;
  /** What a delivery waits for that is due or under way, in a sentence without a full stop. */
  readonly waitsFor: (delivery: DeliveryRow) => string | undefined;
  readonly sources: HandOverSources;
  /** The link that ends a delivery's topic for its recipient; undefined where there is none. */
  readonly feature: Feature;
}

const CAPTURE = [{ provider: 'capture', share: 1 }] as const;

function retryRule({ firstSeconds, growth, mostSeconds }: NonNullable<QueueSettings['retry']>): RetryRule {
  return { first: firstSeconds * 1000, growth, most: mostSeconds * 1000 };
}

function retryPlan({ retry, retryByCause, attempts }: QueueSettings): RetryPlan {
  const own = Object.entries(retryByCause).map(([cause, rule]) => [cause as Cause, retryRule(rule)] as const);
  return {
    usual: retry === undefined ? USUAL_RETRIES.usual : retryRule(retry),
    byCause: { ...USUAL_RETRIES.byCause, ...Object.fromEntries(own) },
    attempts: attempts ?? USUAL_RETRIES.attempts,
  };
}

/** The route of a space. A capturing space never reaches a provider, whatever else is configured; nor does what its rules keep. */
function routeOf(spaces: SpaceSettings, name: string, route: RouteName): readonly RouteEntry[] {
  const space = spaces[name];
  if (space === undefined) return [];
  if (space.mode === 'capture' || route === 'kept') return CAPTURE;
  const isShared = space.route.some((entry) => entry.share !== undefined);
  return space.route.map(({ provider, share }, i) => ({ provider, share: share ?? (isShared ? 0 : i === 0 ? 1 : 0) }));
}

function sourcesOf({ store, providers, editions, domains, capture }: Options): HandOverSources {
  const capturing = captureProvider(capture);
  return {
    provider: (name) => (name === 'capture' ? capturing : providers.get(name)),
    edition: editions.get,
    keysFor: (domain) => domains.keysFor(domain),
    files: {
      attachments: (message) => store.contents.attachments(message),
      bytes: (contentId) => store.contents.bytes(contentId),
    },
  };
}

/** Where emails are handed over: by threads, by processes elsewhere, or here. */
function poolOf(
  { settings, folder, routes, threads, editions, domains, elsewhere }: Options,
  sources: HandOverSources,
  log: Logger,
): HandOverPool {
  const keys = (domain: string): readonly SigningKey[] => domains.keysFor(domain);
  return handOverPool({
    settings,
    folder,
    routes,
    threads,
    log,
    local: (job, gate) => handOver(job, sources, gate),
    edition: editions.parts,
    keysFor: keys,
    elsewhere: elsewhere?.({ edition: ({ space, number }) => editions.parts(space, number), keys }),
  });
}

/** How many emails those providers were given that may be given only so many. */
async function restoreAllowances({ deliveries }: Store, router: ProviderRouter, now: number): Promise<void> {
  for (const { provider, since } of router.allowances(now))
    for (const from of since) {
      const counts = await deliveries.given(from);
      router.given(
        provider,
        from,
        counts.filter((count) => count.provider === provider),
      );
    }
}

/** Deliveries that wait: claimed in order, handed to providers, retried. */
export async function openQueue(runtime: Runtime, options: Options): Promise<Queue> {
  const { clock, log, workers, registry, metricSpace } = runtime;
  const { store, queue, spaces, feed, router, domains, outside, returnSecret, suppressionFor } = options;
  const now = clock.now();
  await restoreAllowances(store, router, now);
  // What was in trouble when the service ended is tried by one email.
  for (const { name, since, why } of store.providers.inTrouble())
    router.wasInTrouble(name, clock.elapsed() - Math.max(0, now - since), why);
  const report = providerEvents({
    store,
    clock,
    feed,
    spacesOf: (provider) =>
      Object.entries(spaces).flatMap(([name, { mode, route }]) =>
        mode === 'deliver' && route.some((entry) => entry.provider === provider) ? [name] : [],
      ),
  });
  const sources = sourcesOf(options);
  const pool = poolOf(options, sources, log);
  const dispatcher = new Dispatcher({
    store,
    workers,
    outside,
    clock,
    log,
    retries: retryPlan(queue),
    giveUpMs: queue.giveUpHours * 3_600_000,
    elsewhereMs: (queue.uncertainElsewhereHours ?? Number.POSITIVE_INFINITY) * 3_600_000,
    returnHostFor: (senderDomain) => domains.returnHostFor(senderDomain),
    returnSecret,
    handOver: pool.handOver,
    linksOf: options.linksOf,
    readable: (message, { kept, space }) =>
      kept || spaces[space]?.mode === 'capture' ? options.readings.masked(message) : options.readings.whole(message),
    routeOf: (name, route) => routeOf(spaces, name, route),
    router,
    changed: (change) => {
      log.warn(change, change.change === 'trouble' ? 'a provider is in trouble' : 'a provider works again');
      report(change).catch((error: unknown) => {
        log.error({ err: error }, 'the trouble of a provider could not be recorded');
      });
    },
    suppressionFor,
    holding: options.holding,
    random: Math.random,
  });
  const counts = queueCounts(store, clock);
  queueMetrics(registry, { clock, counts, metricSpace });
  const feature: Feature = {
    name: 'queue',
    endpoints: serve(queueEndpoints, { store, clock, counts, holding: options.holding }),
    running: [dispatcher],
    isBusy: () => dispatcher.busy,
    clockJumped: (jump) => dispatcher.clockJumped(jump),
    close: pool.stop,
  };
  return { wake: dispatcher.wake, waitsFor: (row) => dispatcher.waitsFor(row), sources, feature };
}
