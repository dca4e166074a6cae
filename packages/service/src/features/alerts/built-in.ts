import type { MeaninglessCalls } from '../callbacks/index.js';
import type { AlertRules } from './rules.js';
import type { Store } from './store.js';

/** Rules over the service as a whole. */
const SERVICE_RULES = ['copies', 'backups', 'cluster'] as const;
type ServiceRule = (typeof SERVICE_RULES)[number];

/** What an operator must know of the service as a whole, by the rule that it fires. */
export type ServiceTroubles = Readonly<
  Record<ServiceRule, { readonly trouble: () => string | undefined; readonly onChange: (listener: () => void) => void }>
>;

/** What is found where a trouble is over. */
const RESOLVED: Readonly<Record<ServiceRule, string>> = {
  copies: 'Resolved: the continuous copies have everything.',
  backups: 'Resolved: a backup was made.',
  cluster: 'Resolved: a standby has every change, and all brokers have the log.',
};

/** What a rule that is always there finds for a space. */
export interface Finding {
  readonly rule: 'quarantine' | 'provider' | 'callbacks' | 'domain' | ServiceRule;
  readonly space: string;
  readonly group: string;
  readonly firing: boolean;
  readonly value: number;
  readonly events: number;
  readonly text: string;
}

/** What the rules that are always there look at. */
export interface LookedAt {
  readonly store: Store;
  readonly rules: AlertRules;
  /** Calls of providers in which their profile found nothing. */
  readonly meaningless: MeaninglessCalls;
  readonly troubles: ServiceTroubles;
  /** What is wrong with domains of a space that were right before. */
  readonly domains: DomainTroubles;
}

export interface DomainTroubles {
  readonly troublesOf: (space: string) => readonly { readonly domain: string; readonly text: string }[];
  readonly onChange: (listener: () => void) => void;
}

/** A provider whose calls meant nothing counts as one for so long. */
const CALLS_COUNT_MS = 3_600_000;

/** When the first of the providers whose calls meant nothing counts as one no longer; undefined where none does. */
export function callsCountUntil({ byProvider }: MeaninglessCalls, now: number): number | undefined {
  const ends = [...byProvider.values()].map(({ at }) => at + CALLS_COUNT_MS).filter((end) => end > now);
  return ends.length === 0 ? undefined : Math.min(...ends);
}

/**
 * The rules that are always there: something waits in quarantine, a provider is in trouble, the profile of a provider finds nothing in its
 * calls, the DNS of a domain is no longer right, the continuous copies are behind, no backup can be made, or the cluster has no standby that has every
 * change.
 */
export function builtInFindings({ store, rules, meaningless, troubles: ofService, domains }: LookedAt, now: number): Finding[] {
  const quarantined = store.quarantine.counts();
  const troubles = new Map(store.providers.inTrouble().map((trouble) => [trouble.name, trouble]));
  return rules.delivering.flatMap((space) => {
    // Items that belong to no space count for every delivering space.
    const own = quarantined.filter((count) => count.space === null || count.space === space);
    const items = own.reduce((sum, { n }) => sum + n, 0);
    const named = own.map(({ worker, n }) => `${worker}: ${n}`).join(', ');
    const quarantine: Finding = {
      rule: 'quarantine',
      space,
      group: '',
      firing: items > 0,
      value: items,
      events: items,
      text:
        items > 0
          ? `${items} ${items === 1 ? 'item waits' : 'items wait'} in quarantine (${named}).`
          : 'Resolved: nothing waits in quarantine.',
    };
    const providers = rules.providersOf(space).map((provider): Finding => {
      const trouble = troubles.get(provider);
      const [firing, value] = trouble === undefined ? [false, 0] : [true, 1];
      const text = trouble === undefined ? `Resolved: ${provider} works again.` : `${provider} is in trouble: ${trouble.why}`;
      return { rule: 'provider', space, group: provider, firing, value, events: value, text };
    });
    const callbacks = rules.providersOf(space).map((provider): Finding => {
      const last = meaningless.byProvider.get(provider);
      const firing = last !== undefined && now - last.at < CALLS_COUNT_MS;
      const text = firing
        ? `The profile of ${provider} finds nothing in its calls: ${last.why}`
        : `Resolved: for an hour no call of ${provider} was without a meaning.`;
      return { rule: 'callbacks', space, group: provider, firing, value: firing ? 1 : 0, events: last?.calls ?? 0, text };
    });
    const service = SERVICE_RULES.map((rule): Finding => {
      const trouble = ofService[rule].trouble();
      const value = trouble === undefined ? 0 : 1;
      return { rule, space, group: '', firing: trouble !== undefined, value, events: value, text: trouble ?? RESOLVED[rule] };
    });
    const ofDomains = domains
      .troublesOf(space)
      .map(({ domain, text }): Finding => ({ rule: 'domain', space, group: domain, firing: true, value: 1, events: 1, text }));
    return [quarantine, ...providers, ...callbacks, ...ofDomains, ...service];
  });
}
