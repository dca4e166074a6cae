import { Traffic, USUAL_RETRIES, type Cause, type RetryPlan, type RetryRule, type TrafficLimits } from '@verbalis/core/delivery';
import { mailBytes } from '@verbalis/core/mime';
import { returnToken } from '@verbalis/core/returns';
import type { Logger } from 'pino';
import { captureDesk } from './capture/index.js';
import type { Clock } from './clock.js';
import type { Secrets, Settings } from './config/index.js';
import { Dispatcher } from './dispatch/index.js';
import type { Editions } from './editions/index.js';
import { makeProvider } from './make-provider.js';
import { captureProvider, type Job, type Provider } from './providers/index.js';
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
  /** How many processes work on the queue. */
  readonly workers: number;
  /** The name of this one, where it does nothing else. */
  readonly worker?: string;
}

const CAPTURE = [{ provider: 'capture', share: 1 }] as const;
/** How often a worker looks for what the process that accepts has put into the file. */
const WORKER_LOOK_MS = 50;
/** How often the service looks for what its workers have captured, while somebody waits for it. */
const CAPTURED_LOOK_MS = 100;
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
  const { settings, within, store, editions, secrets, clock, log } = options;
  const now = clock.now();
  const capturing = captureDesk({
    store,
    clock,
    log,
    most: settings.captured.most,
    ageMs: settings.captured.days * DAY_MS,
    lookMs: options.worker === undefined && options.workers > 1 ? CAPTURED_LOOK_MS : 0,
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
  const providers = new Map<string, Provider>();
  for (const [name, provider] of Object.entries(settings.providers))
    providers.set(name, makeProvider(name, provider, { helloName: settings.helloName, within, log, capture: keep }));
  const returnSecret = secrets.keyFor('returns');
  const keys = signing(store, secrets.keyFor('signing'));
  const unsubscribeSecret = secrets.keyFor('unsubscribe');
  const composing = {
    store,
    editions,
    keysFor: (domain: string) => keys.keysFor(domain),
    // Only where people can reach us, and only what a recipient may refuse.
    unsubscribe: ({ id, line }: { id: string; line: string }) =>
      settings.publicUrl === undefined || readLine(line).urgent
        ? undefined
        : `${settings.publicUrl}/unsubscribe/${returnToken(unsubscribeSecret, id)}`,
  };
  const workers = options.workers;
  const { after, days, localParts } = settings.suppress;
  const suppress = suppressing({ store, log, plan: { after, spreadMs: days * DAY_MS }, anyCase: localParts === 'any-case' });
  const limits = Object.entries(settings.providers).map(([name, provider]): [string, TrafficLimits] => {
    if (!('limits' in provider)) return [name, {}];
    // Workers share a limit: each keeps its part.
    const part = (value: number | undefined): number | undefined => (value === undefined ? undefined : value / workers);
    const { perSecond, perDomainSecond } = provider.limits;
    const warmUp = provider.kind === 'smtp' ? provider.limits.warmUp : undefined;
    return [
      name,
      {
        perSecond: part(perSecond),
        perDomainSecond: part(perDomainSecond),
        warmUp:
          warmUp === undefined ? undefined : { ...warmUp, first: Math.max(1, warmUp.first / workers), since: Date.parse(warmUp.since) },
      },
    ];
  });
  const traffic = new Traffic(new Map(limits));
  for (const { provider, n } of store.deliveries.outcomes(now - (now % DAY_MS))) traffic.counted(provider, Math.ceil(n / workers), now);
  const dispatcher = new Dispatcher({
    ...composing,
    outside: {
      allow: settings.outside.allow,
      waitMs: settings.outside.waitSeconds * 1000,
      mostBytes: settings.limits.attachmentBytes,
    },
    clock,
    log,
    retries: retryPlan(settings.dispatch),
    concurrency: settings.dispatch.concurrency,
    leaseMs: settings.dispatch.leaseSeconds * 1000,
    returnDomain: settings.returns.domain,
    returnSecret,
    providers: new Map([...providers, ['capture', capture]]),
    routeOf: (name, kept) => {
      const space = settings.spaces[name];
      if (space === undefined) return [];
      // A capturing space never reaches a provider, whatever else is configured; nor does what its rules keep here.
      if (space.mode === 'capture' || kept) return CAPTURE;
      const shared = space.route.some((one) => one.share !== undefined);
      return space.route.map(({ provider, share }, i) => ({ provider, share: share ?? (shared ? 0 : i === 0 ? 1 : 0) }));
    },
    traffic,
    against: (row) => suppress.against(row),
    worker: options.worker ?? 'main',
    lookMs: options.worker === undefined ? 0 : WORKER_LOOK_MS,
    random: Math.random,
  });
  return { dispatcher, providers, traffic, keys, composing, returnSecret, unsubscribeSecret, suppressing: suppress, capturing };
}
