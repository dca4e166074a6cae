import type { AlertRule, EventKind } from '@verbalis/core/events';
import type { AlertSettings, WrittenRule } from './settings.js';
import type { SpaceSettings } from '../spaces/index.js';
import type { Store } from './store.js';

/** A rule in force. */
export interface RuleInForce extends AlertRule {
  /** Events that it is about. */
  readonly of: readonly EventKind[];
  /** Only these of them, and of the hand-overs. */
  readonly where: string;
  /** Each value of this field is looked at on its own. */
  readonly by: 'topic' | 'template' | 'provider' | 'domain' | 'cause' | undefined;
  /** Spaces that it holds for. */
  readonly spaces: readonly string[];
  /** Where it is written down. */
  readonly from: 'configuration' | 'service' | 'built-in';
}

function inForce(
  name: string,
  { of, where, by, percent, count, queueSeconds, fewer, hours, minutes, least }: WrittenRule,
  spaces: readonly string[],
  from: RuleInForce['from'],
): RuleInForce {
  const over =
    percent !== undefined
      ? { percent }
      : count !== undefined
        ? { count }
        : fewer !== undefined
          ? { fewer }
          : { queueSeconds: queueSeconds ?? 0 };
  return { name, of, where, by, minutes, least, over, hours, spaces, from };
}

/** An app sends the same to someone again and again: always in force. */
const RUNAWAY: Omit<RuleInForce, 'spaces'> = {
  name: 'runaway',
  of: ['withheld'],
  where: 'cause = "rate"',
  by: 'template',
  over: { count: 0 },
  minutes: 60,
  least: 1,
  from: 'built-in',
};
/** Names of the rules that are always there. */
export const BUILT_IN_RULES: readonly string[] = [
  'quarantine',
  'provider',
  'callbacks',
  'domain',
  'runaway',
  'copies',
  'backups',
  'cluster',
];

/** The parts of the configuration that rules come from. */
export interface RulesOf {
  readonly alerts: AlertSettings;
  readonly spaces: SpaceSettings;
}

/** The rules of the configuration, each with the spaces that it holds for, and those that people have set. The configuration's go first. */
export function alertRules({ alerts, spaces }: RulesOf, store: Store) {
  const delivering = Object.keys(spaces).filter((name) => spaces[name]?.mode === 'deliver');
  const configured = Object.entries(alerts).map(([name, rule]) => inForce(name, rule, rule.spaces ?? delivering, 'configuration'));
  return {
    /** Spaces that deliver. */
    delivering,
    /** The providers that a space sends through. */
    providersOf: (space: string): readonly string[] => (spaces[space]?.route ?? []).map(({ provider }) => provider),
    all(): RuleInForce[] {
      const set = store.alerts
        .rules()
        .filter(({ space, name }) => spaces[space] !== undefined && !this.isConfigured(space, name))
        .map(({ space, name, rule }) => inForce(name, rule, [space], 'service'));
      const runaway = { ...RUNAWAY, spaces: delivering };
      return [...configured, ...set, runaway];
    },

    /** Whether a name is the configuration's in a space: it is changed there. */
    isConfigured(space: string, name: string): boolean {
      return configured.some((rule) => rule.name === name && rule.spaces.includes(space));
    },
  };
}

export type AlertRules = ReturnType<typeof alertRules>;
