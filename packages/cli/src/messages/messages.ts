import type { Client, Delivery, Message, State } from '@verbalis/client';
import { writeOut } from '../out-file.js';
import { tableText, type ExitCode, type Output } from '../output.js';
import { clockTime, stateWord } from '../words.js';

export interface ListOptions {
  readonly state?: State;
  readonly address?: string;
  readonly template?: string;
  readonly reference?: string;
  readonly limit?: string;
  readonly cursor?: string;
  readonly json?: boolean;
}

export async function listMessages(client: Client, options: ListOptions, output: Output): Promise<ExitCode> {
  const { json, limit, ...filter } = options;
  const page = await client.messages.list({ ...filter, ...(limit === undefined ? {} : { limit: Number(limit) }) });
  if (json === true) {
    output.json(page);
    return 0;
  }
  if (page.messages.length === 0) {
    output.note('No messages here. Send one: verbalis send TEMPLATE --to ADDRESS --data FILE');
    return 0;
  }
  const rows = page.messages.flatMap((message) =>
    message.deliveries.map((delivery) => [
      clockTime(message.createdAt),
      delivery.address,
      stateWord(delivery.state, output.color),
      delivery.cause ?? '',
      message.subject,
      output.color.dim(message.id),
    ]),
  );
  output.out(
    tableText(
      [{ title: 'created' }, { title: 'to' }, { title: 'state' }, { title: 'cause' }, { title: 'subject' }, { title: 'message' }],
      rows,
      output.color,
    ),
  );
  if (page.nextCursor !== undefined) output.note(`More: --cursor ${page.nextCursor}`);
  return 0;
}

export async function showMessage(client: Client, id: string, output: Output): Promise<ExitCode> {
  const message = await client.messages.get(id);
  output.result(message, messageText(message, output));
  return 0;
}

const SENSITIVE = {
  kept: 'masked here; kept while an email waits (verbalis messages data shows it)',
  removed: 'masked here; what it was is no longer kept',
};

/** Subject and data of a message, the sensitive ones included. */
export async function showData(client: Client, id: string, output: Output): Promise<ExitCode> {
  const { subject, data } = await client.messages.data(id);
  output.result({ subject, data }, `${output.color.bold(subject)}\n${JSON.stringify(data, null, 2)}`);
  return 0;
}

/** One message with the timelines of its deliveries. */
function messageText(message: Message, output: Output): string {
  const { color } = output;
  const from = message.from.name === '' ? message.from.address : `${message.from.name} <${message.from.address}>`;
  const facts = [
    ['From', from],
    message.template === ''
      ? ['Made by', 'the app itself']
      : ['Template', `${message.template}, edition ${message.edition}, ${message.locale}`],
    ...(message.topic === undefined ? [] : [['Topic', message.topic]]),
    ...(message.reference === undefined ? [] : [['Reference', message.reference]]),
    ['Created', clockTime(message.createdAt)],
    ...(message.sensitive === undefined ? [] : [['Sensitive', SENSITIVE[message.sensitive]]]),
    ['Message', message.id],
  ];
  const width = Math.max(...facts.map(([label]) => (label ?? '').length));
  const head = [color.bold(message.subject), ...facts.map(([label = '', value = '']) => `${color.dim(label.padEnd(width))}  ${value}`)];
  return [head.join('\n'), ...message.deliveries.map((delivery) => timelineText(delivery, message, output))].join('\n\n');
}

function timelineText(delivery: Delivery, { createdAt, repairs = [] }: Message, { color }: Output): string {
  const lines = [`${stateWord(delivery.state, color)}  ${delivery.sentence}`];
  if (delivery.advice !== undefined) lines.push(`  ${color.cyan(delivery.advice)}`);
  const steps: [string, string][] = [[createdAt, 'accepted from the app']];
  if (repairs.length > 0) steps.push([createdAt, `repaired, so that no server changes what is signed: ${repairs.join('; ')}`]);
  for (const attempt of delivery.attempts) {
    const words = {
      accepted: 'accepted it',
      refused: 'rejected it',
      deferred: 'deferred it',
      rejected: 'rejected the request; the recipient is not at fault',
      trouble: 'could not be used',
      uncertain: 'may have accepted it: the connection was lost before the answer',
    };
    steps.push([
      attempt.endedAt ?? attempt.startedAt,
      `attempt ${attempt.number}: ${attempt.provider} ${attempt.outcome === undefined ? 'is being tried' : words[attempt.outcome]}${said(attempt.diagnostic)}`,
    ]);
  }
  for (const fact of delivery.facts) {
    if (fact.by !== undefined) steps.push([fact.at, hitText(fact)]);
    else if (fact.source !== 'attempt') steps.push([fact.at, `a report was received: ${fact.kind}${said(fact.diagnostic)}`]);
  }
  if (delivery.nextAttemptAt !== undefined) steps.push([delivery.nextAttemptAt, delivery.waitsFor === undefined ? 'next attempt' : 'due']);
  if (delivery.waitsFor !== undefined) lines.push(`  ${color.yellow('waits')}: ${delivery.waitsFor}`);
  if (delivery.mayHaveBeenSent === true && delivery.state !== 'accepted' && delivery.state !== 'delivered')
    lines.push(`  ${color.yellow('It may have been sent: the answer to an attempt was lost.')}`);
  steps.sort((a, b) => a[0].localeCompare(b[0]));
  return [...lines, ...steps.map(([at, text]) => `  ${color.dim(clockTime(at))}  ${text}`)].join('\n');
}

/** Who followed which link, or loaded the picture. */
function hitText({ kind, by, reason, link }: Delivery['facts'][number]): string {
  const who = { person: 'a person', machine: 'a machine', unknown: 'someone' }[by ?? 'unknown'];
  const what =
    kind === 'image-loaded'
      ? 'loaded the image'
      : `followed the link ${link === undefined || link.label === '' ? '' : `“${link.label}” `}to ${link?.url ?? 'an address that is no longer kept'}`;
  return `${who} ${what}${reason === undefined ? '' : ` (${reason})`}`;
}

function said(diagnostic: string | undefined): string {
  return diagnostic === undefined ? '' : `: “${diagnostic}”`;
}

/** Cancels a message. Exits with status 1 when it was too late for some of it. */
export async function cancelMessage(client: Client, id: string, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const { changed, late } = await client.messages.cancel(id);
  if (json) output.json({ changed, late });
  else output.out(`Canceled: ${changed.length}${late.length > 0 ? `; too late for ${late.length}` : ''}.`);
  return late.length === 0 ? 0 : 1;
}

/** Sets another time. Exits with status 1 when it was too late for some of it. */
export async function rescheduleMessage(
  client: Client,
  id: string,
  { json = false, notBefore, timeZone }: { json?: boolean; readonly notBefore: string; readonly timeZone?: string },
  output: Output,
): Promise<ExitCode> {
  const { changed, late } = await client.messages.reschedule(id, { notBefore, timeZone });
  if (json) output.json({ changed, late });
  else output.out(`Moved: ${changed.length}${late.length > 0 ? `; too late for ${late.length}` : ''}.`);
  return late.length === 0 ? 0 : 1;
}

/** The bytes of a message's email. */
export async function showSource(client: Client, id: string, { save }: { readonly save?: string }, output: Output): Promise<ExitCode> {
  const bytes = Buffer.from(await client.messages.source(id));
  if (save === undefined) output.bytes(bytes);
  else {
    writeOut(save, bytes);
    output.note(`${bytes.length} bytes are in ${save}.`);
  }
  return 0;
}
