import {
  readFairnessKey,
  USUAL_RETRIES,
  type Cause,
  type RetryPlan,
  type RetryRule,
  type RouteEntry,
  type ProviderRouter,
} from '@verbalis/core/delivery';
import { returnToken } from '@verbalis/core/returns';
import { serve, type Feature, type Runtime, type OutsideRules, type Reader } from '../../kernel/index.js';
import type { Editions } from '../editions/index.js';
import type { Signing } from '../domains/index.js';
import type { DeliveryRow } from '../messages/index.js';
import { captureProvider, type Job, type Provider, type ProvidersOf } from '../providers/index.js';
import type { SpaceSettings } from '../spaces/index.js';
import { Dispatcher, type RouteName } from './dispatcher.js';
import { attemptsOfLastHour, queueEndpoints } from './endpoints.js';
import { handOver, type HandOverSources } from './hand-over.js';
import { queueMetrics } from './metrics.js';
import { handOverPool } from './pool.js';
import type { QueueSettings } from './settings.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly settings: ProvidersOf & { readonly log: { readonly level: string } };
  readonly queue: QueueSettings;
  readonly spaces: SpaceSettings;
  /** The folder that paths of the configuration begin at. */
  readonly folder: string;
  /** How many threads hand over; 0 where this one does. */
  readonly threads: number;
  readonly providers: ReadonlyMap<string, Provider>;
  readonly router: ProviderRouter;
  readonly editions: Editions;
  readonly signing: Signing;
  readonly capture: (job: Job) => Promise<void>;
  readonly outside: OutsideRules & { readonly waitMs: number; readonly mostBytes: number };
  readonly returnPath: { readonly domain: string; readonly secret: Uint8Array };
  readonly unsubscribeSecret: Uint8Array;
  /** Why a delivery must not be sent, in a sentence. */
  readonly suppressionFor: (delivery: DeliveryRow, from: Reader) => string | undefined;
}

export interface Queue {
  readonly wake: () => void;
  readonly sources: HandOverSources;
  /** The link that ends a delivery's topic for its recipient; undefined where there is none. */
  readonly unsubscribeUrl: (delivery: Pick<DeliveryRow, 'id' | 'fairnessKey'>) => string | undefined;
  readonly feature: Feature;
}

const CAPTURE = [{ provider: 'capture', share: 1 }] as const;
const DAY_MS = 24 * 3_600_000;

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

function sourcesOf({ store, providers, editions, signing, capture }: Options): HandOverSources {
  const capturing = captureProvider(capture);
  return {
    provider: (name) => (name === 'capture' ? capturing : providers.get(name)),
    edition: editions.get,
    keysFor: (domain) => signing.keysFor(domain),
    files: {
      attachments: (message) => store.contents.attachments(message),
      bytes: (contentId) => store.contents.bytes(contentId),
    },
  };
}

/** Deliveries that wait: claimed in order, handed to providers, retried. */
export function openQueue(runtime: Runtime, options: Options): Queue {
  const { clock, log, workers, registry, publicUrl } = runtime;
  const { store, settings, queue, spaces, folder, threads, router, editions, signing, outside, returnPath, suppressionFor } = options;
  const now = clock.now();
  for (const { provider, n } of store.deliveries.outcomes(now - (now % DAY_MS))) router.counted(provider, n, now);
  const sources = sourcesOf(options);
  // Threads share the connections of a provider with this process, which hands over what has stored files.
  const pool = handOverPool({
    settings,
    folder,
    shares: threads + 1,
    threads,
    log,
    local: (job) => handOver(job, sources),
    edition: editions.parts,
    keysFor: (domain) => signing.keysFor(domain),
  });
  // Only where people can reach us, and only what a recipient may refuse.
  const unsubscribeUrl: Queue['unsubscribeUrl'] = ({ id, fairnessKey }) =>
    publicUrl === undefined || readFairnessKey(fairnessKey).urgent
      ? undefined
      : `${publicUrl}/unsubscribe/${returnToken(options.unsubscribeSecret, id)}`;
  const dispatcher = new Dispatcher({
    store,
    workers,
    outside,
    clock,
    log,
    retries: retryPlan(queue),
    concurrency: queue.concurrency * Math.max(1, threads),
    leaseMs: queue.leaseSeconds * 1000,
    returnDomain: returnPath.domain,
    returnSecret: returnPath.secret,
    handOver: pool.handOver,
    unsubscribe: unsubscribeUrl,
    routeOf: (name, route) => routeOf(spaces, name, route),
    router,
    suppressionFor,
    random: Math.random,
  });
  const lastHour = attemptsOfLastHour(store, clock);
  queueMetrics(registry, { store, clock, lastHour });
  const feature: Feature = {
    name: 'queue',
    endpoints: serve(queueEndpoints, { store, clock, lastHour }),
    running: [dispatcher],
    isBusy: () => dispatcher.busy,
    close: pool.stop,
  };
  return { wake: dispatcher.wake, sources, unsubscribeUrl, feature };
}
