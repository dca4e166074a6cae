import type { AlertRule, Client, NewAlertRule } from '@verbalis/client';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { clockTime } from '../words.js';

interface Json {
  readonly json?: boolean;
}

/** A rule in a sentence. */
function ruleText({ of, where, by, percent, count, queueSeconds, minutes, least }: AlertRule): string {
  if (queueSeconds !== undefined) return `the oldest mail has waited for more than ${queueSeconds} s`;
  const limit = percent === undefined ? `more than ${count ?? 0} ${of.join(' or ')}` : `more than ${percent} % ${of.join(' or ')}`;
  const only = where === '' ? '' : `, where ${where}`;
  return `${limit} within ${minutes} minutes${by === undefined ? '' : `, each ${by} on its own`}${only}; says nothing below ${least}`;
}

/** What holds and has held, and the rules. @returns 1 when one holds */
export async function listAlerts(client: Client, { json }: Json, output: Output): Promise<ExitCode> {
  const found = await client.alerts.list();
  const firing = found.alerts.filter((one) => one.resolvedAt === undefined);
  if (json === true) {
    output.out(JSON.stringify(found, null, 2));
    return firing.length > 0 ? 1 : 0;
  }
  const { color } = output;
  if (found.alerts.length > 0)
    output.out(
      tableText(
        [{ title: 'alert' }, { title: 'for' }, { title: 'since' }, { title: 'until' }, { title: 'what was found' }],
        found.alerts.map((one) => [
          one.resolvedAt === undefined ? color.red(`▲ ${one.rule}`) : one.rule,
          one.group ?? '',
          clockTime(one.since),
          one.resolvedAt === undefined ? 'now' : clockTime(one.resolvedAt),
          one.text,
        ]),
        color,
      ),
    );
  if (found.rules.length === 0)
    output.note('No rule is in force. verbalis alerts set NAME makes one; verbalis.yaml may hold others under "alerts".');
  else if (found.alerts.length === 0) output.note('All is quiet.');
  const wide = Math.max(...found.rules.map((one) => one.name.length));
  for (const one of found.rules)
    output.out(`Rule ${one.name.padEnd(wide)}  ${ruleText(one)}${one.from === 'configuration' ? '  (verbalis.yaml)' : ''}`);
  return firing.length > 0 ? 1 : 0;
}

export interface SetRuleOptions extends Json {
  readonly of?: readonly string[];
  readonly where?: string;
  readonly by?: string;
  readonly percent?: string;
  readonly count?: string;
  readonly queueSeconds?: string;
  readonly minutes?: string;
  readonly least?: string;
}

function numberOf(text: string | undefined, option: string): number | undefined {
  if (text === undefined) return undefined;
  const value = Number(text);
  if (!Number.isFinite(value) || text.trim() === '') throw new UsageError(`"${text}" is no number.`, `${option} takes one.`);
  return value;
}

/** Sets a rule of the space, or changes it. */
export async function setRule(client: Client, name: string, options: SetRuleOptions, output: Output): Promise<ExitCode> {
  const { of, where, by, json } = options;
  const wanted = {
    of,
    where,
    by,
    percent: numberOf(options.percent, '--percent'),
    count: numberOf(options.count, '--count'),
    queueSeconds: numberOf(options.queueSeconds, '--queue-seconds'),
    minutes: numberOf(options.minutes, '--minutes'),
    least: numberOf(options.least, '--least'),
  };
  if (wanted.percent === undefined && wanted.count === undefined && wanted.queueSeconds === undefined)
    throw new UsageError('A rule needs a limit.', 'One of --percent 5, --count 20, --queue-seconds 300.');
  const made = await client.alerts.setRule(name, wanted as NewAlertRule);
  output.out(json === true ? JSON.stringify(made, null, 2) : `Set: ${made.name}: ${ruleText(made)}.`);
  return 0;
}

export async function removeRule(client: Client, name: string, output: Output): Promise<ExitCode> {
  await client.alerts.removeRule(name);
  output.note(`Taken away: ${name}. What held by it is over.`);
  return 0;
}
