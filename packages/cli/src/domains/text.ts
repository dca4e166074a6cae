import type { DomainRecord, DomainVerification, DomainView } from '@verbalis/client';
import type { Output } from '../output.js';
import { clockTime } from '../words.js';

const SIGNS: Readonly<Record<string, readonly [sign: string, paint: 'green' | 'red' | 'yellow' | 'dim']>> = {
  right: ['✓', 'green'],
  wrong: ['✗', 'red'],
  missing: ['✗', 'red'],
  open: ['✗', 'red'],
  unknown: ['?', 'yellow'],
  unchecked: ['…', 'dim'],
};

/** A state with its sign and colour: never by colour alone. */
export function stateSign(state: string, { color }: Output): string {
  const [sign, paint] = SIGNS[state] ?? ['…', 'dim'];
  return color[paint](`${sign} ${state}`);
}

/** How many records need work by a person. */
export function summaryOf({ records, state }: DomainView): string {
  const required = records.filter(({ required: isRequired }) => isRequired);
  const open = required.filter(({ state: own }) => own === 'wrong' || own === 'missing').length;
  if (state === 'right') return 'all records are right';
  if (state === 'unchecked') return 'not checked yet';
  if (open === 0) return 'name servers did not answer for all records';
  return `${open} of ${required.length} records ${open === 1 ? 'needs' : 'need'} attention`;
}

/** A domain with how its records are, and what to do about them. */
export function domainText(domain: DomainView, output: Output): string {
  const { color } = output;
  const when = domain.checkedAt === undefined ? '' : color.dim(` (checked ${clockTime(domain.checkedAt)})`);
  const width = Math.max(...domain.records.map(({ guide }) => guide.title.length));
  const lines = domain.records.flatMap((record) => {
    const { guide, type, name, state, findings, required } = record;
    const title = `${stateSign(state, output).padEnd(10)} ${guide.title.padEnd(width)}  ${type.padEnd(5)} ${name}${required ? '' : color.dim(' (optional)')}`;
    return [`  ${title}`, ...findings.flatMap((finding) => findingLines(finding, record, output))];
  });
  return [
    `${color.bold(domain.name)}: ${summaryOf(domain)}${when}`,
    ...lines,
    ...keyLines(domain),
    ...domain.notes.map((note) => `  ${note}`),
  ].join('\n');
}

function findingLines(
  finding: DomainRecord['findings'][number],
  { value, type, priority, guide }: DomainRecord,
  { color }: Output,
): string[] {
  // The record is right, except for its name.
  const isMisplaced = finding.kind === 'doubled-name' || finding.kind === 'other-place';
  const entered = finding.enter ?? (type === 'MX' ? `${priority ?? ''} ${value}` : value);
  return [
    `      ${finding.severity === 'fix' ? color.red(finding.sentence) : finding.sentence}`,
    ...(finding.found === '' ? [] : [color.dim(`      there:  ${finding.found.replaceAll('\n', '\n              ')}`)]),
    ...(finding.severity !== 'fix' || finding.at !== 'zone'
      ? []
      : isMisplaced
        ? [`      name:   ${guide.host}`]
        : [`      enter:  ${entered}`]),
  ];
}

function keyLines({ keys, returnHost, returnHostLive, linkHost, linkHostLive = false }: DomainView): string[] {
  const signing = keys.filter(({ state }) => state === 'signing' || state === 'lost');
  const waiting = keys.filter(({ state }) => state === 'published');
  return [
    `  Signing: ${signing.length === 0 ? 'not yet' : signing.map(({ selector, state }) => (state === 'lost' ? `${selector} (its record is missing)` : selector)).join(', ')}.`,
    ...waiting.map(
      ({ selector, signsFrom = '' }) => `  ${selector} is published and signs from ${clockTime(signsFrom)} on, when caches have it.`,
    ),
    `  Bounces: to ${returnHostLive ? returnHost : `the return host of the service, until the records of ${returnHost} are right`}.`,
    ...(linkHost === undefined
      ? []
      : [`  Links: to ${linkHostLive ? linkHost : `the host of the service, until the record of ${linkHost} is right`}.`]),
  ];
}

/** What a receiver made of a test email. */
export function verificationText(outcome: DomainVerification, { color }: Output): string {
  const { domain, state, results, delivery, startedAt, arrivedAt } = outcome;
  if (state !== 'arrived') {
    const why =
      delivery === undefined
        ? ''
        : ` The message is ${delivery.state}${delivery.diagnostic === undefined ? '' : `: ${delivery.diagnostic}`}.`;
    const hint = state === 'failed' ? '' : ' Does the MX record lead to this service, and can other servers reach the port of returns?';
    return color.red(`The test email of ${domain} did not arrive.`) + why + hint;
  }
  const seconds = ((Date.parse(arrivedAt ?? startedAt) - Date.parse(startedAt)) / 1000).toFixed(1);
  const signs = { right: color.green('✓'), wrong: color.red('✗'), advice: color.yellow('!') };
  const lines = results.map(
    ({ check, state: own, sentence, hint }) =>
      `${signs[own]} ${check.padEnd(11)}  ${sentence}${hint === undefined ? '' : `\n               ${color.cyan(hint)}`}`,
  );
  const isRight = results.every(({ state: own }) => own !== 'wrong');
  const verdict = isRight ? color.green(`Email of ${domain} is authentic.`) : color.red(`Receivers will not trust email of ${domain}.`);
  return [`The test email arrived after ${seconds} s.`, ...lines, verdict].join('\n');
}

/** The records of a domain, as they are entered. */
export function recordsText({ records }: DomainView, { color }: Output): string {
  return records
    .map(({ guide, name, value, priority, required }) =>
      [
        color.bold(`${guide.title}${required ? '' : ' (optional)'}`),
        `  ${guide.purpose}`,
        `  type      ${guide.type}`,
        `  name      ${guide.host}${color.dim(`   (in full: ${name})`)}`,
        ...(priority === undefined ? [] : [`  priority  ${priority}`]),
        `  value     ${value}`,
      ].join('\n'),
    )
    .join('\n\n');
}
