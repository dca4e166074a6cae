import { readFileSync } from 'node:fs';
import { basename } from 'node:path';
import { RefusedError, type Client, type Message, type MessageSummary, type NewMessage } from '@verbalis/client';
import { fileFault } from '@verbalis/core/system';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { labelsOf } from '../labels.js';
import { stateWord } from '../words.js';
import { readJson, readText } from '../json-file.js';

export interface SendOptions {
  readonly to?: string[];
  readonly from?: string;
  readonly data?: string;
  readonly locale?: string;
  readonly reference?: string;
  readonly label?: string[];
  readonly attach?: string[];
  readonly file?: string;
  readonly cc?: string[];
  readonly bcc?: string[];
  readonly replyTo?: string[];
  readonly subject?: string;
  readonly text?: string;
  readonly html?: string;
  readonly topic?: string;
  readonly notBefore?: string;
  readonly idempotencyKey?: string;
  readonly wait?: boolean;
  readonly json?: boolean;
}

const POLL_MS = 150;

function wanted(template: string | undefined, options: SendOptions): NewMessage[] {
  if (options.file !== undefined) {
    if (template !== undefined) throw new UsageError('Give either TEMPLATE or --file, not both.');
    const content = readJson(options.file);
    return (Array.isArray(content) ? content : [content]) as NewMessage[];
  }
  if (options.to === undefined || options.to.length === 0) throw new UsageError('No recipient is named.', 'Give --to ADDRESS.');
  const labels = labelsOf(options.label ?? []);
  return [
    {
      ...contentOf(template, options),
      to: options.to,
      ...(options.from === undefined ? {} : { from: options.from }),
      ...(options.locale === undefined ? {} : { locale: options.locale }),
      ...(options.reference === undefined ? {} : { reference: options.reference }),
      ...(options.cc === undefined ? {} : { cc: options.cc }),
      ...(options.bcc === undefined ? {} : { bcc: options.bcc }),
      ...(options.replyTo === undefined ? {} : { replyTo: options.replyTo }),
      ...(options.notBefore === undefined ? {} : { notBefore: options.notBefore }),
      labels,
    },
  ];
}

/** What is sent: a template with data, or an email that is given whole. @throws UsageError */
function contentOf(
  template: string | undefined,
  { subject, text, html, topic, data }: SendOptions,
): Pick<NewMessage, 'template' | 'data' | 'subject' | 'text' | 'html' | 'topic'> {
  const isWhole = [subject, text, html, topic].some((value) => value !== undefined);
  if (template !== undefined) {
    if (isWhole)
      throw new UsageError(
        '--subject, --text, --html and --topic are for an email without a template.',
        'A template has its own; its topic is in its settings.',
      );
    return { template, data: (data === undefined ? {} : readJson(data)) as Record<string, unknown> };
  }
  if (!isWhole)
    throw new UsageError(
      'No template is named.',
      'verbalis send TEMPLATE --to ADDRESS --data FILE; or without a template: --subject TEXT --text FILE --topic TOPIC',
    );
  if (data !== undefined) throw new UsageError('--data is for a template, and none is named.');
  if (subject === undefined) throw new UsageError('An email without a template needs --subject TEXT.');
  const content = {
    subject,
    ...(topic === undefined ? {} : { topic }),
    ...(text === undefined ? {} : { text: readText(text) }),
    ...(html === undefined ? {} : { html: readText(html) }),
  };
  return content;
}

export async function send(client: Client, template: string | undefined, options: SendOptions, output: Output): Promise<ExitCode> {
  const messages = wanted(template, options);
  const { idempotencyKey } = options;
  if (idempotencyKey !== undefined && messages.length > 1)
    throw new UsageError('--idempotency-key is for one message, and the file has several.');
  const uploaded: { upload: string }[] = [];
  for (const path of options.attach ?? []) {
    let bytes: Buffer<ArrayBuffer>;
    try {
      bytes = readFileSync(path);
    } catch (error) {
      throw new UsageError(`The file ${path} cannot be read: ${fileFault(error)}.`);
    }
    uploaded.push({ upload: (await client.uploads.add(new Blob([bytes]), { name: basename(path) })).id });
  }
  const accepted: MessageSummary[] = [];
  let refused = 0;
  for (const [i, message] of messages.entries()) {
    try {
      const attachments = [...(message.attachments ?? []), ...uploaded];
      accepted.push(await client.messages.send(attachments.length === 0 ? message : { ...message, attachments }, { idempotencyKey }));
    } catch (error) {
      // In a list, one that is refused does not keep the others.
      if (!(error instanceof RefusedError) || messages.length === 1) throw error;
      refused += 1;
      output.note(`message ${i + 1}: ${error.message}`);
      for (const problem of error.problem.problems ?? [])
        output.note(`  ${problem.path} ${problem.message}${problem.hint === undefined ? '' : `. ${problem.hint}`}`);
    }
  }
  const ended: (MessageSummary | Message)[] =
    options.wait === true ? await Promise.all(accepted.map(({ id }) => settled(client, id))) : accepted;
  if (options.json === true) output.json(messages.length === 1 ? ended[0] : { messages: ended, refused });
  else {
    const rows = ended.flatMap(({ deliveries, id, subject }) =>
      deliveries.map((delivery) => [id, delivery.address, stateWord(delivery.state, output.color), subject]),
    );
    output.out(tableText([{ title: 'message' }, { title: 'to' }, { title: 'state' }, { title: 'subject' }], rows, output.color));
    // Why it ended as it did, and what to do.
    if (options.wait === true) for (const message of ended) for (const delivery of message.deliveries) showReason(delivery, output);
  }
  const failed = ended.some(({ deliveries }) => deliveries.some((delivery) => ['failed', 'expired', 'withheld'].includes(delivery.state)));
  return refused > 0 || (options.wait === true && failed) ? 1 : 0;
}

function showReason(delivery: (MessageSummary | Message)['deliveries'][number], output: Output): void {
  if (!('sentence' in delivery) || delivery.state === 'accepted' || delivery.state === 'delivered') return;
  output.note(delivery.sentence);
  if (delivery.advice !== undefined) output.note(`  ${delivery.advice}`);
}

/** Asks until no delivery of the message waits any more. */
async function settled(client: Client, id: string): Promise<Message> {
  for (;;) {
    const message = await client.messages.get(id);
    if (message.deliveries.every((delivery) => delivery.state !== 'queued' && delivery.nextAttemptAt === undefined)) return message;
    await new Promise((resolve) => setTimeout(resolve, POLL_MS));
  }
}
