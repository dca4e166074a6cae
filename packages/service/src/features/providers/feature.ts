import { ProviderRouter, type ProviderLimits } from '@verbalis/core/delivery';
import type { SigningKey } from '@verbalis/core/dkim';
import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import { providerEndpoints } from './endpoints.js';
import { connectionsOf, makeProviders, type ProvidersOf } from './make-provider.js';
import { providerProbe, testJobs, type ProviderProbe } from './probe.js';
import type { Job, Provider } from './provider.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly settings: ProvidersOf;
  /** The providers of a space, by name. */
  readonly routeOf: (space: string) => readonly string[];
  /** The providers of each space that delivers. */
  readonly routes: readonly (readonly string[])[];
  /** How many threads hand over; 0 where this one does. */
  readonly threads: number;
  /** Puts an email where it can be looked at. */
  readonly capture: (job: Job) => Promise<void>;
  readonly keysFor: (domain: string) => readonly SigningKey[];
  /** The sender of a space, for a test email. */
  readonly senderOf: (space: string) => Promise<string | undefined>;
  /** The email to one recipient of a message, as it would be handed over; undefined where there is no such message. */
  readonly jobOf: (space: string, messageId: string) => Promise<Job | undefined>;
  readonly wake: () => void;
}

export interface Providers {
  readonly providers: ReadonlyMap<string, Provider>;
  readonly router: ProviderRouter;
  readonly probe: ProviderProbe;
  readonly feature: Feature;
}

/** Whether several spaces send through a provider. @param routes the providers of each space that delivers */
export function isShared(routes: readonly (readonly string[])[], provider: string): boolean {
  return routes.filter((route) => route.includes(provider)).length > 1;
}

/** How many hand-overs to a provider there may be at once. */
function handOversOf(connections: number, threads: number): number {
  return threads === 0 ? connections : threads * connectionsOf(connections, { threads, part: 'thread' });
}

function limitsOf({
  settings: { providers },
  threads,
  routes,
}: Pick<Options, 'settings' | 'threads' | 'routes'>): Map<string, ProviderLimits> {
  const limits = Object.entries(providers).map(([name, provider]): [string, ProviderLimits] => {
    if (!('limits' in provider)) return [name, {}];
    const { warmUp, ...own } = provider.limits;
    return [
      name,
      {
        connections: handOversOf(provider.connections, threads),
        // A relay may look at the recipient while we wait; an API answers before it does.
        isPacedByDomain: provider.kind === 'smtp',
        // As many are rendered as there are connections, so that no connection waits.
        ahead: handOversOf(provider.connections, threads),
        isShared: isShared(routes, name),
        ...own,
        warmUp: warmUp === undefined ? undefined : { ...warmUp, since: Date.parse(warmUp.since) },
      },
    ];
  });
  return new Map(limits);
}

/** What accepts email from us: SMTP relays and HTTP APIs, with their limits and their state. */
export function openProviders({ clock, log, within }: Runtime, options: Options): Providers {
  const { store, settings, threads, routes, routeOf, capture, keysFor, senderOf, jobOf, wake } = options;
  const providers = makeProviders(
    settings,
    { within, clock, log, capture, isShared: (name) => isShared(routes, name) },
    { threads, part: 'main' },
  );
  const router = new ProviderRouter(limitsOf(options));
  const jobs = testJobs({ clock, keysFor, senderOf });
  const probe = providerProbe(jobs);
  const feature: Feature = {
    name: 'providers',
    endpoints: serve(providerEndpoints, { store, clock, router, providers, routeOf, probe, jobs, jobOf, wake }),
    memory: () => ({ router: router.memory(clock.now()) }),
    close: () => {
      for (const provider of providers.values()) provider.close();
    },
  };
  return { providers, router, probe, feature };
}
