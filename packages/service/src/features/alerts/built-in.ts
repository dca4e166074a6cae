import type { MeaninglessCalls } from '../callbacks/index.js';
import type { AlertRules } from './rules.js';
import type { Store } from './store.js';

/** What a rule that is always there finds for a space. */
export interface Finding {
  readonly rule: 'quarantine' | 'provider' | 'callbacks';
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
}

/** A provider whose calls meant nothing counts as one for so long. */
const CALLS_COUNT_MS = 3_600_000;

/** When the first of the providers whose calls meant nothing counts as one no longer; undefined where none does. */
export function callsCountUntil({ byProvider }: MeaninglessCalls, now: number): number | undefined {
  const ends = [...byProvider.values()].map(({ at }) => at + CALLS_COUNT_MS).filter((end) => end > now);
  return ends.length === 0 ? undefined : Math.min(...ends);
}

/**
 * The rules that are always there: something waits in quarantine, a provider is in trouble, or the profile of a provider finds nothing in its
 * calls.
 */
export function builtInFindings({ store, rules, meaningless }: LookedAt, now: number): Finding[] {
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
    return [quarantine, ...providers, ...callbacks];
  });
}
