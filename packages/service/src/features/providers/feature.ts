import { ProviderRouter, type ProviderLimits } from '@verbalis/core/delivery';
import type { SigningKey } from '@verbalis/core/dkim';
import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import { providerEndpoints } from './endpoints.js';
import { makeProviders, type ProvidersOf } from './make-provider.js';
import { providerProbe, type ProviderProbe } from './probe.js';
import type { Job, Provider } from './provider.js';
import type { ProvidersSettings } from './settings.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly settings: ProvidersOf;
  /** Into how many parts the connections of a provider are divided, each part being that of one thread. */
  readonly shares: number;
  /** Puts an email where it can be looked at. */
  readonly capture: (job: Job) => Promise<void>;
  readonly keysFor: (domain: string) => readonly SigningKey[];
  /** The sender of a space, for a test email. */
  readonly senderOf: (space: string) => string | undefined;
  readonly wake: () => void;
}

export interface Providers {
  readonly providers: ReadonlyMap<string, Provider>;
  readonly router: ProviderRouter;
  readonly probe: ProviderProbe;
  readonly feature: Feature;
}

function limitsOf(settings: ProvidersSettings): Map<string, ProviderLimits> {
  const limits = Object.entries(settings).map(([name, provider]): [string, ProviderLimits] => {
    if (!('limits' in provider)) return [name, {}];
    const { perSecond, perDomainSecond } = provider.limits;
    const warmUp = provider.kind === 'smtp' ? provider.limits.warmUp : undefined;
    return [
      name,
      { perSecond, perDomainSecond, warmUp: warmUp === undefined ? undefined : { ...warmUp, since: Date.parse(warmUp.since) } },
    ];
  });
  return new Map(limits);
}

/** What accepts email from us: SMTP relays and HTTP APIs, with their limits and their state. */
export function openProviders({ clock, log, within }: Runtime, options: Options): Providers {
  const { store, settings, shares, capture, keysFor, senderOf, wake } = options;
  const providers = makeProviders(settings, { within, log, capture }, shares);
  const router = new ProviderRouter(limitsOf(settings.providers));
  const probe = providerProbe({ clock, keysFor, senderOf });
  const feature: Feature = {
    name: 'providers',
    endpoints: serve(providerEndpoints, { store, clock, router, providers, probe, wake }),
    memory: () => ({ router: router.memory(clock.now()) }),
    close: () => {
      for (const provider of providers.values()) provider.close();
    },
  };
  return { providers, router, probe, feature };
}
