import { Router, type Request } from 'express';
import type { z } from 'zod';
import type { Clock } from '../kernel/index.js';
import { WrittenRule } from '../config/index.js';
import { Refusal } from '../refusal.js';
import type { AlertRow, Store } from '../store/index.js';
import type { AlertRules, AlertWatch, RuleInForce } from '../watch/index.js';
import { callerOf, needs } from './access.js';
import { filterOf } from './events.js';
import { parse } from './problem.js';
import { RuleName, type AlertRuleView, type AlertView } from './tracking-schemas.js';

export interface AlertsOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly rules: AlertRules;
  readonly alerting: AlertWatch;
}

/** Alerts that are told at most. */
const MOST = 100;

function shown(row: AlertRow): z.input<typeof AlertView> {
  return {
    id: row.id,
    rule: row.rule,
    group: row.group === '' ? undefined : row.group,
    since: new Date(row.since).toISOString(),
    resolvedAt: row.resolvedAt === null ? undefined : new Date(row.resolvedAt).toISOString(),
    value: row.value,
    text: row.text,
  };
}

function shownRule({ name, from, of, where, by, over, minutes, least }: RuleInForce): z.input<typeof AlertRuleView> {
  return { name, from, of: [...of], where, by, ...over, minutes, least };
}

/** Alerts that fire or have fired, and the rules in force: those of the configuration, and those that are set here. */
export function alertsRouter({ store, clock, rules, alerting }: AlertsOptions): Router {
  const router = Router();

  /** The name of a rule that may be changed here. */
  const nameOf = (request: Request): string => {
    const name = parse(RuleName, request.params['name']);
    if (rules.isConfigured(callerOf(request).space, name))
      throw new Refusal(409, 'configured-rule', 'This rule is the configuration’s', {
        detail: `"${name}" stands in verbalis.yaml under "alerts".`,
        hint: 'Change it there and start the service again, or take another name.',
      });
    return name;
  };

  router.get('/', needs('read'), (request, response) => {
    const { space } = callerOf(request);
    const own = rules.all().filter((rule) => rule.spaces.includes(space));
    response.json({ alerts: store.alerts.list(space, MOST).map(shown), rules: own.map(shownRule) });
  });

  router.put('/rules/:name', needs('write'), async (request, response) => {
    const { space } = callerOf(request);
    const name = nameOf(request);
    const rule = parse(WrittenRule, request.body);
    filterOf(rule.where, 'where');
    await store.write((tx) => {
      store.alerts.setRule(tx, { space, name, rule, createdAt: clock.now() });
      tx.afterCommit(alerting.changed);
    });
    const made = rules.all().find((one) => one.name === name && one.spaces.includes(space)) as RuleInForce;
    response.json(shownRule(made));
  });

  router.delete('/rules/:name', needs('write'), async (request, response) => {
    const { space } = callerOf(request);
    const name = nameOf(request);
    const removed = await store.write((tx) => {
      tx.afterCommit(alerting.changed);
      return store.alerts.removeRule(tx, space, name);
    });
    if (!removed)
      throw new Refusal(404, 'unknown-rule', 'There is no such rule', {
        detail: `No rule "${name}" is set in the space "${space}".`,
        hint: 'verbalis alerts',
      });
    response.status(204).end();
  });

  return router;
}
