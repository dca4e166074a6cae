import { RefusedError, type CapturedMail, type Cause, type Client, type SimulatedOutcome } from '@verbalis/client';
import { writeOut } from '../out-file.js';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { clockTime, kilobytes } from '../words.js';

export interface CapturedOptions {
  readonly to?: string;
  readonly subject?: string;
  readonly find?: string;
  readonly json?: boolean;
}

export async function listCaptured(
  client: Client,
  { json, limit, ...filter }: CapturedOptions & { readonly limit?: string; readonly cursor?: string },
  output: Output,
): Promise<ExitCode> {
  const page = await client.captured.list({ ...filter, ...(limit === undefined ? {} : { limit: Number(limit) }) });
  if (json === true) {
    output.json(page);
    return 0;
  }
  if (page.captured.length === 0) {
    output.note('No captured mail here. A space with mode: capture keeps what is sent to it.');
    return 0;
  }
  output.out(
    tableText(
      [{ title: 'came' }, { title: 'to' }, { title: 'subject' }, { title: 'code' }, { title: 'size', right: true }, { title: 'captured' }],
      page.captured.map((mail) => [
        clockTime(mail.receivedAt),
        mail.to,
        mail.subject,
        mail.code ?? '',
        kilobytes(mail.size),
        output.color.dim(mail.id),
      ]),
      output.color,
    ),
  );
  if (page.nextCursor !== undefined) output.note(`More: --cursor ${page.nextCursor}`);
  return 0;
}

export interface ShowOptions {
  readonly part?: 'text' | 'html' | 'source' | 'links' | 'code';
  readonly save?: string;
  readonly json?: boolean;
}

async function show(mail: CapturedMail, { part, save, json }: ShowOptions, output: Output): Promise<ExitCode> {
  if (save !== undefined) {
    writeOut(save, await mail.source());
    output.note(`Its bytes are in ${save}.`);
    return 0;
  }
  if (part === 'source') output.bytes(await mail.source());
  else if (part === 'code') {
    if (mail.code === undefined) {
      output.note('There is no one-time code in this email.');
      return 1;
    }
    output.out(mail.code);
  } else if (part === 'links') output.out(mail.links.map((link) => `${link.href}  ${output.color.dim(link.text)}`).join('\n'));
  else if (part !== undefined) output.out(mail[part]);
  else if (json === true) output.json(mail);
  else output.out(mailText(mail, output));
  return 0;
}

function mailText(mail: CapturedMail, { color }: Output): string {
  const rows: string[][] = [
    ['From', mail.from],
    ['To', mail.to],
    ['Came', clockTime(mail.receivedAt.toISOString())],
    ['Size', kilobytes(mail.size)],
    ...(mail.messageId === undefined ? [] : [['Message', mail.messageId]]),
    ...(mail.code === undefined ? [] : [['Code', color.bold(mail.code)]]),
    ...mail.attachments.map((attachment) => [
      attachment.inline ? 'Picture' : 'Attached',
      `${attachment.name}  ${color.dim(`${attachment.type}, ${kilobytes(attachment.size)}`)}`,
    ]),
  ];
  const wide = Math.max(...rows.map(([name = '']) => name.length));
  return [
    color.bold(mail.subject),
    ...rows.map(([name = '', value = '']) => `  ${color.dim(name.padEnd(wide))}  ${value}`),
    '',
    mail.text === '' ? color.dim('(no text part; --part html shows the other)') : mail.text.trimEnd(),
    ...(mail.links.length === 0 ? [] : ['', color.dim('Links'), ...mail.links.map((link) => `  ${link.href}  ${color.dim(link.text)}`)]),
  ].join('\n');
}

export async function showCaptured(client: Client, id: string, options: ShowOptions, output: Output): Promise<ExitCode> {
  return show(await client.captured.get(id), options, output);
}

export async function waitForCaptured(
  client: Client,
  {
    to,
    subject,
    find,
    timeout: seconds,
    after,
    ...rest
  }: CapturedOptions & ShowOptions & { readonly timeout: string; readonly after?: string },
  output: Output,
): Promise<ExitCode> {
  const timeout = Number(seconds) * 1000;
  if (!Number.isFinite(timeout) || timeout < 0) throw new UsageError(`"${seconds}" is not a valid number of seconds.`);
  const since = after === 'now' ? new Date().toISOString() : after;
  if (since !== undefined && Number.isNaN(Date.parse(since)))
    throw new UsageError(`"${since}" is not a valid time.`, 'It looks like 2026-12-04T08:15:00Z, or is "now".');
  if (output.interactive) output.note('Waiting …');
  try {
    return await show(await client.captured.waitFor({ to, subject, find, after: since }, { timeout }), rest, output);
  } catch (error) {
    if (!(error instanceof RefusedError) || !error.problem.type.endsWith('nothing-captured')) throw error;
    output.note(`${output.color.red('✗')} ${error.problem.detail ?? error.message}`);
    return 1;
  }
}

export async function clearCaptured(client: Client, { to, subject, find }: CapturedOptions, output: Output): Promise<ExitCode> {
  const removed = await client.captured.clear({ to, subject, find });
  output.result({ removed }, `${removed} deleted.`);
  return 0;
}

const OUTCOMES: readonly SimulatedOutcome[] = ['delivered', 'delayed', 'bounced', 'complained', 'image-loaded', 'link-followed'];

export async function simulate(
  client: Client,
  { id, outcome }: { readonly id: string; readonly outcome: string },
  { cause, link }: { readonly cause?: Cause; readonly link?: string },
  output: Output,
): Promise<ExitCode> {
  const known = OUTCOMES.find((name) => name === outcome);
  if (known === undefined) throw new UsageError(`"${outcome}" is not a known outcome.`, `One of ${OUTCOMES.join(', ')}.`);
  await client.captured.simulate({ id }, known, { ...(cause === undefined ? {} : { cause }), ...(link === undefined ? {} : { link }) });
  const { messageId } = await client.captured.get(id);
  output.note(`It is ${known} now. verbalis messages show ${messageId ?? 'MESSAGE'} shows its timeline.`);
  return 0;
}

export async function removeCaptured(
  client: Client,
  id: string,
  { json = false }: { readonly json?: boolean },
  output: Output,
): Promise<ExitCode> {
  await client.captured.remove(id);
  if (!json) output.out(`Deleted: ${id}.`);
  return 0;
}
