import { randomUUID } from 'node:crypto';
import { RefusedError, type Client, type SignalFilter, type SignalView } from '@verbalis/client';
import { readJson } from '../json-file.js';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { clockTime } from '../words.js';

export interface SignalOptions {
  readonly data?: string;
  readonly file?: string;
  readonly subject?: string;
  readonly source?: string;
  readonly time?: string;
  readonly id?: string;
  readonly wait?: boolean;
  readonly json?: boolean;
}
export interface ListOptions extends Pick<SignalFilter, 'type' | 'subject' | 'rule' | 'message' | 'state'> {
  readonly limit?: string;
  readonly cursor?: string;
  readonly json?: boolean;
}
type Made = SignalView['rules'][number];

const SIGNS: Readonly<Record<Made['state'], readonly [string, 'green' | 'blue' | 'yellow' | 'red' | 'dim']>> = {
  waiting: ['…', 'blue'],
  sent: ['●', 'green'],
  canceled: ['–', 'dim'],
  limited: ['–', 'yellow'],
  refused: ['✗', 'red'],
  ignored: ['–', 'dim'],
};
const word = (state: Made['state'], color: Output['color']): string => color[SIGNS[state][1]](`${SIGNS[state][0]} ${state}`);
const waitsForRules = ({ isOpen, rules }: SignalView): boolean =>
  isOpen || rules.some(({ state, dueAt }) => state === 'waiting' && Date.parse(dueAt ?? '') <= Date.now());

/** How often the service is asked, and how long, in milliseconds. */
const [ASK_MS, PATIENCE_MS] = [200, 30_000];

async function lookedAt(client: Client, id: string): Promise<SignalView> {
  const end = performance.now() + PATIENCE_MS;
  for (;;) {
    const found = await client.signals.get(id);
    if (!waitsForRules(found) || performance.now() > end) return found;
    await new Promise((done) => setTimeout(done, ASK_MS));
  }
}

/** What a rule made of a signal, in a line. */
function ruleLine({ rule, state, why, dueAt, messageId, combinedWith = [] }: Made, color: Output['color']): string {
  const more = [
    state === 'waiting' && dueAt !== undefined ? `due ${clockTime(dueAt)}` : '',
    messageId ?? '',
    combinedWith.length === 0 ? '' : `with ${combinedWith.length} more`,
    why ?? '',
  ].filter((text) => text !== '');
  return `${word(state, color)}  ${rule}${more.length === 0 ? '' : `: ${more.join(', ')}`}`;
}

function signalText(signal: SignalView, color: Output['color']): string {
  const { id, type, subject, source, eventId, time, receivedAt, isOpen, rules, cancels = [] } = signal;
  const lines = [
    `${color.bold(type)}${subject === undefined ? '' : ` ${subject}`}  ${color.dim(id)}`,
    `  happened ${clockTime(time)}, came in ${clockTime(receivedAt)}, from ${source} (${eventId})`,
    ...rules.map((made) => `  ${ruleLine(made, color)}`),
  ];
  if (cancels.length > 0) lines.push(`  cancels what waits of ${cancels.join(', ')}`);
  if (isOpen) lines.push('  No rule was asked yet.');
  else if (rules.length + cancels.length === 0) lines.push('  No rule of the mail folder is on this type.');
  return lines.join('\n');
}

/** Signals that have no id get one, so that a repeated request reports nothing twice. */
function withIds(content: unknown): unknown {
  if (Array.isArray(content)) return content.map(withIds);
  return typeof content === 'object' && content !== null ? { id: randomUUID(), ...content } : content;
}

/** Says what has happened. */
export async function sendSignal(client: Client, type: string | undefined, options: SignalOptions, output: Output): Promise<ExitCode> {
  const { data, file, wait = false, json = false, ...more } = options;
  if ((type === undefined) === (file === undefined))
    throw new UsageError('Name either a type or a file.', 'verbalis signal booking.paid --data booking.json');
  if (file !== undefined && Object.keys(more).length + (data === undefined ? 0 : 1) > 0)
    throw new UsageError('What a file holds is sent as it is.', 'Leave --data, --subject, --source, --time and --id out, or the file.');
  const taken =
    file === undefined
      ? [await client.signal(type ?? '', data === undefined ? undefined : readJson(data), more)]
      : (await client.signals.take(new Blob([JSON.stringify(withIds(readJson(file)))], { type: 'application/json' }))).signals;
  const shown = wait ? await Promise.all(taken.map(({ id }) => lookedAt(client, id))) : [];
  const isRefused = shown.some(({ rules }) => rules.some(({ state }) => state === 'refused'));
  if (json) output.json({ signals: taken.map((kept, i) => ({ ...kept, ...shown[i] })) });
  else
    for (const [i, { id, repeated }] of taken.entries()) {
      const signal = shown[i];
      if (signal !== undefined) output.out(signalText(signal, output.color));
      else output.out(`${id} is kept.`);
      if (repeated) output.note(`${id} had come before: nothing follows from it again.`);
    }
  if (type !== undefined && !(await hasRule(client, type)))
    output.note(`No rule of the edition in use names "${type}", so no email follows. Rules: verbalis signals rules`);
  return isRefused ? 1 : 0;
}

export async function listSignals(client: Client, { json = false, limit, ...filter }: ListOptions, output: Output): Promise<ExitCode> {
  const page = await client.signals.list({ ...filter, ...(limit === undefined ? {} : { limit: Number(limit) }) });
  if (json) {
    output.json(page);
    return 0;
  }
  if (page.signals.length === 0) output.note('No signals.');
  else
    output.out(
      tableText(
        [{ title: 'came in' }, { title: 'type' }, { title: 'subject' }, { title: 'signal' }, { title: 'rules' }],
        page.signals.map(({ receivedAt, type, subject = '', id, rules, isOpen, cancels = [] }) => [
          clockTime(receivedAt),
          type,
          subject,
          output.color.dim(id),
          isOpen
            ? 'not asked yet'
            : [...rules.map(({ rule, state }) => `${rule} ${word(state, output.color)}`), ...cancels.map((rule) => `cancels ${rule}`)].join(
                ', ',
              ) || 'none',
        ]),
        output.color,
      ),
    );
  if (page.nextCursor !== undefined) output.note(`More: --cursor ${page.nextCursor}`);
  return 0;
}

export async function showSignal(client: Client, id: string, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const signal = await client.signals.get(id);
  if (json) output.json(signal);
  else {
    output.out(signalText(signal, output.color));
    output.out(signal.data === undefined ? '\nIts data are no longer kept.' : `\n${JSON.stringify(signal.data, null, 2)}`);
  }
  return 0;
}

/** A length of time, in its largest whole unit. */
function lengthText(seconds: number): string {
  for (const [unit, n] of [
    ['d', 86_400],
    ['h', 3600],
    ['min', 60],
  ] as const)
    if (seconds % n === 0) return `${seconds / n} ${unit}`;
  return `${seconds} s`;
}

export async function listRules(client: Client, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const found = await client.signals.rules();
  if (json) output.json(found);
  else if (found.rules.length === 0) output.note('The mail folder has no signal rules: signals/NAME.yaml.');
  else
    output.out(
      tableText(
        [{ title: 'rule' }, { title: 'on' }, { title: 'template' }, { title: 'how' }, { title: 'last 7 days' }],
        found.rules.map(({ name, on, template, afterSeconds, unless, combineSeconds, atMost, counts }) => [
          name,
          on,
          template,
          [
            afterSeconds === undefined ? '' : `after ${lengthText(afterSeconds)}`,
            unless === undefined ? '' : `unless ${unless}`,
            combineSeconds === undefined ? '' : `combined within ${lengthText(combineSeconds)}`,
            atMost === undefined ? '' : `at most ${atMost.count} in ${lengthText(atMost.seconds)}`,
          ]
            .filter((text) => text !== '')
            .join(', ') || 'at once',
          Object.entries(counts)
            .map(([state, n]) => `${n} ${state}`)
            .join(', ') || '–',
        ]),
        output.color,
      ),
    );
  return 0;
}

const rulesText = (n: number): string => `${n} rule${n === 1 ? '' : 's'}`;

/** Whether a rule is on a type; true where the key may not see the rules. */
async function hasRule(client: Client, type: string): Promise<boolean> {
  try {
    return (await client.signals.rules()).rules.some((rule) => rule.on === type);
  } catch (error) {
    if (error instanceof RefusedError) return true;
    throw error;
  }
}

export async function cancelSignal(client: Client, id: string, output: Output): Promise<ExitCode> {
  const changed = await client.signals.cancel(id);
  output.result(changed, changed.rules === 0 ? 'Nothing of it waited.' : `Canceled: what ${rulesText(changed.rules)} would have sent.`);
  return changed.rules === 0 ? 1 : 0;
}

export async function retrySignal(client: Client, id: string, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const changed = await client.signals.retry(id);
  if (json || changed.rules === 0) {
    output.result(changed, 'Nothing of it was refused.');
    return changed.rules === 0 ? 1 : 0;
  }
  const signal = await lookedAt(client, id);
  output.out(signalText(signal, output.color));
  return signal.rules.some(({ state }) => state === 'refused') ? 1 : 0;
}
