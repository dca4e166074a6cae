import type * as z from 'zod';
import { empty, endpointsOf, instant, json, jsonBody, Refusal, type Clock } from '../../kernel/index.js';
import { filterOf } from '../events/index.js';
import { AlertList, AlertRuleView, RuleParams, type AlertView } from './model.js';
import type { AlertRow } from './queries.js';
import { BUILT_IN_RULES, type AlertRules, type RuleInForce } from './rules.js';
import { WrittenRule } from './settings.js';
import type { Store } from './store.js';
import type { AlertWatch } from './watch.js';

export interface AlertEndpoints {
  readonly store: Store;
  readonly clock: Clock;
  readonly rules: AlertRules;
  readonly alerting: AlertWatch;
}

const endpoint = endpointsOf<AlertEndpoints>();

/** Alerts that are listed at most. */
const MOST = 100;

function alertView(row: AlertRow): z.input<typeof AlertView> {
  const { id, rule, group, since, resolvedAt, value, text } = row;
  return {
    id,
    rule,
    group: group === '' ? undefined : group,
    since: instant(since),
    resolvedAt: resolvedAt === null ? undefined : instant(resolvedAt),
    value,
    text,
  };
}

function ruleView({ name, from, of, where, by, over, hours, minutes, least }: RuleInForce): z.input<typeof AlertRuleView> {
  return { name, from, of: [...of], where, by, ...over, hours, minutes, least };
}

/** @throws Refusal when a rule is the configuration's: it is changed there */
function refuseConfigured(rules: AlertRules, space: string, name: string): void {
  if (BUILT_IN_RULES.includes(name))
    throw new Refusal(409, 'built-in-rule', 'This rule is always in force', {
      detail: `"${name}" is a rule of the service itself.`,
      hint: 'Choose another name.',
    });
  if (!rules.isConfigured(space, name)) return;
  throw new Refusal(409, 'configured-rule', 'This rule is set in the configuration', {
    detail: `"${name}" is in verbalis.yaml under "alerts".`,
    hint: 'Change it there and start the service again, or choose another name.',
  });
}

const CONFIGURED = { 409: 'The rule is set in the configuration.' };

const list = endpoint({
  name: 'alerts.list',
  method: 'get',
  path: '/v1/alerts',
  summary: 'Alerts that are firing or resolved, and the rules in force',
  scope: 'read',
  answers: { 200: json('Firing alerts first.', AlertList) },
  run({ caller: { space } }, { store, rules }) {
    const own = rules.all().filter((rule) => rule.spaces.includes(space));
    return { alerts: store.alerts.list(space, MOST).map(alertView), rules: own.map(ruleView) };
  },
});

const setRule = endpoint({
  name: 'alerts.setRule',
  method: 'put',
  path: '/v1/alerts/rules/{name}',
  summary: 'Set a rule of the space, or change it',
  scope: 'write',
  params: RuleParams,
  body: jsonBody(WrittenRule.meta({ id: 'NewAlertRule' })),
  answers: { 200: json('The rule that is now in force.', AlertRuleView) },
  refusals: CONFIGURED,
  async run({ caller: { space }, params: { name }, body: rule }, { store, clock, rules, alerting }) {
    refuseConfigured(rules, space, name);
    filterOf(rule.where, 'where');
    await store.write((tx) => {
      store.alerts.setRule(tx, { space, name, rule, createdAt: clock.now() });
      tx.afterCommit(alerting.changed);
    });
    return ruleView(rules.all().find((other) => other.name === name && other.spaces.includes(space)) as RuleInForce);
  },
});

const removeRule = endpoint({
  name: 'alerts.removeRule',
  method: 'delete',
  path: '/v1/alerts/rules/{name}',
  summary: 'Remove a rule; its alerts are resolved',
  scope: 'write',
  params: RuleParams,
  answers: { 204: empty('Removed.') },
  refusals: CONFIGURED,
  async run({ caller: { space }, params: { name } }, { store, rules, alerting }) {
    refuseConfigured(rules, space, name);
    const isRemoved = await store.write((tx) => {
      tx.afterCommit(alerting.changed);
      return store.alerts.removeRule(tx, space, name);
    });
    if (isRemoved) return undefined;
    throw new Refusal(404, 'unknown-rule', 'There is no such rule', {
      detail: `No rule "${name}" is set in the space "${space}".`,
      hint: 'verbalis alerts',
    });
  },
});

/** Alerts that are firing or resolved, and the rules in force: those of the configuration, and those that people set. */
export const alertEndpoints = [list, setRule, removeRule];
