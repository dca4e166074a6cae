import { Traffic, USUAL_RETRIES, type Cause, type RetryPlan, type RetryRule, type TrafficLimits } from '@verbalis/core/delivery';
import { mailBytes } from '@verbalis/core/mime';
import { returnToken } from '@verbalis/core/returns';
import type { Logger } from 'pino';
import { captureDesk } from './capture/index.js';
import type { Clock, WorkerGroup } from './kernel/index.js';
import type { Secrets, Settings } from './config/index.js';
import { Dispatcher, handOver, handOverPool, type HandOverSources } from './dispatch/index.js';
import type { Editions } from './editions/index.js';
import { makeProviders } from './make-provider.js';
import { captureProvider, type Job } from './providers/index.js';
import { signing } from './signing/index.js';
import { readLine, type Store } from './store/index.js';
import { suppressing } from './suppress/index.js';

interface DispatchingOptions {
  readonly settings: Settings;
  readonly within: (path: string) => string;
  readonly store: Store;
  readonly editions: Editions;
  readonly secrets: Secrets;
  readonly clock: Clock;
  readonly log: Logger;
  /** The folder that paths of the configuration begin at. */
  readonly folder: string;
  readonly workers: WorkerGroup;
  /** How many threads hand over; 0 where this one does. */
  readonly threads: number;
}

const CAPTURE = [{ provider: 'capture', share: 1 }] as const;
const DAY_MS = 24 * 3_600_000;

function retryRule(rule: NonNullable<Settings['dispatch']['retry']>): RetryRule {
  return { first: rule.firstSeconds * 1000, growth: rule.growth, most: rule.mostSeconds * 1000 };
}

function retryPlan(dispatch: Settings['dispatch']): RetryPlan {
  const own = Object.entries(dispatch.retryByCause).map(([cause, rule]) => [cause as Cause, retryRule(rule)] as const);
  return {
    usual: dispatch.retry === undefined ? USUAL_RETRIES.usual : retryRule(dispatch.retry),
    byCause: { ...USUAL_RETRIES.byCause, ...Object.fromEntries(own) },
    attempts: dispatch.attempts ?? USUAL_RETRIES.attempts,
  };
}

/** Wires what works on the queue: the same in the service and in a worker of its own. */
export function dispatching(options: DispatchingOptions) {
  const { settings, within, folder, store, editions, secrets, clock, log, workers, threads } = options;
  const now = clock.now();
  const capturing = captureDesk({
    store,
    clock,
    most: settings.captured.most,
    ageMs: settings.captured.days * DAY_MS,
  });
  const keep = async ({ envelope, mail, parts }: Job): Promise<void> => {
    const delivery = store.deliveries.find(parts.deliveryId);
    const message = delivery === undefined ? undefined : store.messages.findAny(delivery.messageId);
    if (delivery === undefined || message === undefined) return;
    await capturing.keep({
      space: delivery.space,
      address: envelope.to,
      deliveryId: delivery.id,
      messageId: message.id,
      bytes: mailBytes(mail),
      contentId: message.more.raw,
    });
  };
  const capture = captureProvider(keep);
  // Threads share the connections of a provider with this process, which hands over what has stored files.
  const shares = threads + 1;
  const providers = makeProviders(settings, { within, log, capture: keep }, shares);
  const returnSecret = secrets.keyFor('returns');
  const keys = signing(store, secrets.keyFor('signing'));
  const unsubscribeSecret = secrets.keyFor('unsubscribe');
  const sources: HandOverSources = {
    provider: (name) => (name === 'capture' ? capture : providers.get(name)),
    edition: editions.get,
    keysFor: (domain) => keys.keysFor(domain),
    files: {
      attachments: (message) => store.contents.attachments(message),
      bytes: (contentId) => store.contents.bytes(contentId),
    },
  };
  const pool = handOverPool({
    settings,
    folder,
    shares,
    threads,
    log,
    local: (job) => handOver(job, sources),
    edition: editions.parts,
    keysFor: (domain) => keys.keysFor(domain),
  });
  // Only where people can reach us, and only what a recipient may refuse.
  const unsubscribe = ({ id, line }: { id: string; line: string }): string | undefined =>
    settings.publicUrl === undefined || readLine(line).urgent
      ? undefined
      : `${settings.publicUrl}/unsubscribe/${returnToken(unsubscribeSecret, id)}`;
  const { after, days, localParts } = settings.suppress;
  const suppress = suppressing({ store, log, plan: { after, spreadMs: days * DAY_MS }, anyCase: localParts === 'any-case' });
  const limits = Object.entries(settings.providers).map(([name, provider]): [string, TrafficLimits] => {
    if (!('limits' in provider)) return [name, {}];
    const { perSecond, perDomainSecond } = provider.limits;
    const warmUp = provider.kind === 'smtp' ? provider.limits.warmUp : undefined;
    return [
      name,
      { perSecond, perDomainSecond, warmUp: warmUp === undefined ? undefined : { ...warmUp, since: Date.parse(warmUp.since) } },
    ];
  });
  const traffic = new Traffic(new Map(limits));
  for (const { provider, n } of store.deliveries.outcomes(now - (now % DAY_MS))) traffic.counted(provider, n, now);
  const dispatcher = new Dispatcher({
    store,
    workers,
    outside: {
      allow: settings.outside.allow,
      waitMs: settings.outside.waitSeconds * 1000,
      mostBytes: settings.limits.attachmentBytes,
    },
    clock,
    log,
    retries: retryPlan(settings.dispatch),
    concurrency: settings.dispatch.concurrency * Math.max(1, threads),
    leaseMs: settings.dispatch.leaseSeconds * 1000,
    returnDomain: settings.returns.domain,
    returnSecret,
    handOver: pool.handOver,
    unsubscribe,
    routeOf: (name, kept) => {
      const space = settings.spaces[name];
      if (space === undefined) return [];
      // A capturing space never reaches a provider, whatever else is configured; nor does what its rules keep here.
      if (space.mode === 'capture' || kept) return CAPTURE;
      const shared = space.route.some((one) => one.share !== undefined);
      return space.route.map(({ provider, share }, i) => ({ provider, share: share ?? (shared ? 0 : i === 0 ? 1 : 0) }));
    },
    traffic,
    against: (row, from) => suppress.against(row, from),
    random: Math.random,
  });
  return {
    dispatcher,
    pool,
    providers,
    traffic,
    keys,
    sources,
    unsubscribe,
    returnSecret,
    unsubscribeSecret,
    suppressing: suppress,
    capturing,
  };
}
