import type { MailProject } from '../folder/index.js';
import { BudgetExceeded, Fault } from '../problems/index.js';
import type { DataProblem } from '../typing/index.js';
import type { Mail, Rule, Signal } from './rule.js';

/** What a rule would make of a signal that came now. */
export type Trial =
  | { readonly rule: string; readonly outcome: 'ignored'; readonly why: string }
  | { readonly rule: string; readonly outcome: 'refused'; readonly problems: readonly DataProblem[] }
  | {
      readonly rule: string;
      readonly outcome: 'sends';
      readonly mail: Mail;
      /** How long after the signal, in milliseconds. */
      readonly afterMs: number;
      /** What would cancel it meanwhile: another type of signal, and its key. */
      readonly unless: { readonly type: string; readonly key: string | undefined } | undefined;
      /** Signals of the same text within so long would go into the same email. */
      readonly combine: { readonly withinMs: number; readonly by: string } | undefined;
    };

/** What would follow from a signal; rules on other types are left out. */
export function trySignal(project: MailProject, rules: ReadonlyMap<string, Rule>, signal: Signal): Trial[] {
  return [...rules.values()].filter(({ on }) => on === signal.type).map((rule) => tryRule(project, rule, signal));
}

function tryRule(project: MailProject, rule: Rule, signal: Signal): Trial {
  const { name } = rule;
  const faults = rule.checkData(signal.data);
  if (faults.length > 0)
    return {
      rule: name,
      outcome: 'refused',
      problems: faults.map((fault) => ({ ...fault, path: `data${fault.path === '' ? '' : '.'}${fault.path}` })),
    };
  try {
    if (!rule.holds(signal)) return { rule: name, outcome: 'ignored', why: `Its test does not hold: ${rule.when ?? ''}` };
    const mail = rule.mail([signal]);
    const misfits = project.templates.get(rule.template)?.checkData(mail.data) ?? [];
    if (misfits.length > 0)
      return {
        rule: name,
        outcome: 'refused',
        problems: misfits.map((fault) => ({ ...fault, path: `send.data${fault.path === '' ? '' : '.'}${fault.path}` })),
      };
    return {
      rule: name,
      outcome: 'sends',
      mail,
      afterMs: rule.afterMs,
      unless: rule.unless === undefined ? undefined : { type: rule.unless.type, key: rule.keyOf(signal) },
      combine: rule.combine === undefined ? undefined : { withinMs: rule.combine.withinMs, by: rule.combine.byOf(signal) },
    };
  } catch (error) {
    if (!(error instanceof Fault) && !(error instanceof BudgetExceeded)) throw error;
    return { rule: name, outcome: 'refused', problems: [{ path: '', message: error.message }] };
  }
}
