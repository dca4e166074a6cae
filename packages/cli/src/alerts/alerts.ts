import type { AlertRule, Client, NewAlertRule } from '@verbalis/client';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { clockTime } from '../words.js';

interface Json {
  readonly json?: boolean;
}

/** A rule in a sentence. */
function ruleText({ of, where, by, percent, count, queueSeconds, fewer, hours, minutes, least }: AlertRule): string {
  if (queueSeconds !== undefined) return `the oldest email has waited more than ${queueSeconds} s`;
  if (fewer !== undefined) {
    const when = hours === undefined ? '' : `, from ${hours.from} to ${hours.to} (${hours.timeZone})`;
    return `fewer than ${fewer} ${of.join(' or ')} in ${minutes} minutes${where === '' ? '' : `, where ${where}`}${when}`;
  }
  const limit = percent === undefined ? `more than ${count ?? 0} ${of.join(' or ')}` : `more than ${percent}% ${of.join(' or ')}`;
  const only = where === '' ? '' : `, where ${where}`;
  return `${limit} in ${minutes} minutes${by === undefined ? '' : `, per ${by}`}${only}, at least ${least} events`;
}

/** Prints firing and resolved alerts, and the rules. @returns 1 if an alert is firing */
export async function listAlerts(client: Client, { json }: Json, output: Output): Promise<ExitCode> {
  const found = await client.alerts.list();
  const firing = found.alerts.filter((alert) => alert.resolvedAt === undefined);
  if (json === true) {
    output.json(found);
    return firing.length > 0 ? 1 : 0;
  }
  const { color } = output;
  if (found.alerts.length > 0)
    output.out(
      tableText(
        [{ title: 'alert' }, { title: 'for' }, { title: 'since' }, { title: 'until' }, { title: 'finding' }],
        found.alerts.map((alert) => [
          alert.resolvedAt === undefined ? color.red(`▲ ${alert.rule}`) : alert.rule,
          alert.group ?? '',
          clockTime(alert.since),
          alert.resolvedAt === undefined ? 'now' : clockTime(alert.resolvedAt),
          alert.text,
        ]),
        color,
      ),
    );
  if (found.rules.length === 0)
    output.note('There are no rules. Add one with verbalis alerts set NAME, or in verbalis.yaml under "alerts".');
  else if (found.alerts.length === 0) output.note('No alerts.');
  const wide = Math.max(...found.rules.map((rule) => rule.name.length));
  for (const rule of found.rules)
    output.out(
      `Rule ${rule.name.padEnd(wide)}  ${ruleText(rule)}${rule.from === 'configuration' ? '  (verbalis.yaml)' : rule.from === 'built-in' ? '  (always)' : ''}`,
    );
  return firing.length > 0 ? 1 : 0;
}

export interface SetRuleOptions extends Json {
  readonly of?: readonly string[];
  readonly where?: string;
  readonly by?: string;
  readonly percent?: string;
  readonly count?: string;
  readonly queueSeconds?: string;
  readonly fewer?: string;
  readonly hours?: string;
  readonly timeZone?: string;
  readonly minutes?: string;
  readonly least?: string;
}

function numberOf(text: string | undefined, option: string): number | undefined {
  if (text === undefined) return undefined;
  const value = Number(text);
  if (!Number.isFinite(value) || text.trim() === '') throw new UsageError(`"${text}" is not a valid number.`, `${option} takes one.`);
  return value;
}

/** Sets a rule of the space, or changes it. */
export async function setRule(client: Client, name: string, options: SetRuleOptions, output: Output): Promise<ExitCode> {
  const { of, where, by } = options;
  const [from, to] = options.hours?.split('-') ?? [];
  const wanted = {
    of,
    where,
    by,
    percent: numberOf(options.percent, '--percent'),
    count: numberOf(options.count, '--count'),
    queueSeconds: numberOf(options.queueSeconds, '--queue-seconds'),
    fewer: numberOf(options.fewer, '--fewer'),
    ...(from === undefined ? {} : { hours: { from, to, ...(options.timeZone === undefined ? {} : { timeZone: options.timeZone }) } }),
    minutes: numberOf(options.minutes, '--minutes'),
    least: numberOf(options.least, '--least'),
  };
  if ([wanted.percent, wanted.count, wanted.queueSeconds, wanted.fewer].every((limit) => limit === undefined))
    throw new UsageError('A rule needs a limit.', 'One of --percent 5, --count 20, --queue-seconds 300, --fewer 1.');
  const made = await client.alerts.setRule(name, wanted as NewAlertRule);
  output.result(made, `Set: ${made.name}: ${ruleText(made)}.`);
  return 0;
}

export async function removeRule(client: Client, name: string, output: Output): Promise<ExitCode> {
  await client.alerts.removeRule(name);
  output.note(`Rule ${name} removed; its alerts are resolved.`);
  return 0;
}
