import { readFile, writeFile } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { text as textOf } from 'node:stream/consumers';
import type { Client, InboundFilter, InboundView } from '@verbalis/client';
import { readJson } from '../json-file.js';
import { makeFolder } from '../out-file.js';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { clockTime, kilobytes } from '../words.js';

export interface ListOptions extends Omit<InboundFilter, 'limit'> {
  readonly limit?: string;
  readonly json?: boolean;
}

export async function listInbound(client: Client, { json, limit, ...filter }: ListOptions, output: Output): Promise<ExitCode> {
  const page = await client.inbound.list({ ...filter, ...(limit === undefined ? {} : { limit: Number(limit) }) });
  if (json === true) output.json(page);
  else if (page.inbound.length === 0)
    output.note('There are no emails yet. Give a topic "replies: true", or list addresses: inbound.addresses in verbalis.yaml.');
  else
    output.out(
      tableText(
        [
          { title: 'came' },
          { title: 'from' },
          { title: 'inbox' },
          { title: 'subject' },
          { title: 'files', right: true },
          { title: '' },
          { title: 'email' },
        ],
        page.inbound.map((email) => [
          clockTime(email.receivedAt),
          email.from.address === '' ? output.color.dim('(nobody)') : email.from.address,
          email.inbox,
          email.state === 'read' ? email.subject : output.color.yellow(email.state === 'arrived' ? 'being read' : 'cannot be read'),
          email.attachments === 0 ? '' : String(email.attachments),
          email.suspicious === 0 ? '' : output.color.yellow('suspicious'),
          output.color.dim(email.id),
        ]),
        output.color,
      ),
    );
  if (page.nextCursor !== undefined && json !== true) output.note(`More: --cursor ${page.nextCursor}`);
  return 0;
}

export interface ShowOptions {
  readonly all?: boolean;
  readonly source?: boolean;
  readonly json?: boolean;
}

/** What the verifiers found, in a line. */
function authenticityOf({ authentication }: InboundView): string | undefined {
  if (authentication === undefined) return undefined;
  const { spf, dkim, dmarc } = authentication;
  const signatures =
    dkim.length === 0
      ? 'DKIM none'
      : dkim.map(({ result, domain }) => `DKIM ${result}${domain === undefined ? '' : ` (${domain})`}`).join(', ');
  return `SPF ${spf.result} (${spf.domain}), ${signatures}, DMARC ${dmarc.result}`;
}

export async function showInbound(client: Client, id: string, options: ShowOptions, output: Output): Promise<ExitCode> {
  if (options.source === true) {
    output.out(Buffer.from(await client.inbound.source(id)).toString('utf8'));
    return 0;
  }
  const email = await client.inbound.get(id);
  if (options.json === true) {
    output.json(email);
    return 0;
  }
  const { color } = output;
  const { name, address } = email.from;
  const rows: (readonly [string, string | undefined])[] = [
    ['Came', `${email.receivedAt} to ${email.to.join(', ')}`],
    ['From', name === '' ? address : `${name} <${address}>`],
    ['Inbox', email.inbox],
    ['Answers', email.messageId === undefined ? undefined : `message ${email.messageId}`],
    ['Language', email.language],
    ['Authentic', authenticityOf(email)],
    ...email.suspicions.map(({ text }) => ['Careful', color.yellow(text)] as const),
    ...email.files.map(
      (file) => ['File', `${file.name}  ${color.dim(`${file.type}, ${kilobytes(file.size)}, part ${file.part}`)}`] as const,
    ),
    ...email.answers.map(({ messageId, at }) => ['Answered', `${clockTime(at)} with ${messageId}`] as const),
  ];
  output.out(color.bold(email.subject === '' ? '(no subject)' : email.subject));
  for (const [title, value] of rows) if (value !== undefined) output.out(`  ${color.dim(title.padEnd(9))}  ${value}`);
  output.out(`\n${email.text === '' ? color.dim('(nothing new in it)') : email.text}`);
  if (options.all === true) {
    if (email.signature !== '') output.out(`\n${color.dim('Signature')}\n${email.signature}`);
    if (email.quoted !== '') output.out(`\n${color.dim('What it answers')}\n${email.quoted}`);
  }
  output.note(`\nAnswer it: verbalis inbound reply ${id} --text "…"`);
  return 0;
}

/** A name for a file, which leads nowhere else. */
function safeName(name: string, fallback: string): string {
  const bare = basename(name.replace(/[\\/:\u0000-\u001F]/g, '_')).replace(/^\.+/, '');
  return bare === '' ? fallback : bare.slice(0, 120);
}

/** Saves an email with its files; existing files are not replaced. */
export async function saveInbound(
  client: Client,
  id: string,
  options: { folder?: string; json?: boolean },
  output: Output,
): Promise<ExitCode> {
  const folder = options.folder ?? id;
  const email = await client.inbound.get(id);
  makeFolder(folder);
  const saved: string[] = [];
  const save = async (name: string, bytes: Uint8Array): Promise<void> => {
    const path = join(folder, name);
    await writeFile(path, bytes, { flag: 'wx' }).catch((error: unknown) => {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
      throw new UsageError(`"${path}" already exists.`, 'Name another folder: --folder FOLDER.');
    });
    saved.push(path);
  };
  await save(`${id}.eml`, await client.inbound.source(id));
  const names = new Set([`${id}.eml`]);
  for (const { part, name } of email.files) {
    const safe = safeName(name, `part-${part}`);
    const own = names.has(safe) ? `${part}-${safe}` : safe;
    names.add(own);
    await save(own, await client.inbound.attachment(id, part));
  }
  if (options.json === true) output.json(saved);
  else for (const path of saved) output.out(path);
  return 0;
}

export interface ReplyOptions {
  readonly text?: string;
  readonly template?: string;
  readonly data?: string;
  readonly attach?: string[];
  readonly from?: string;
  readonly quote?: boolean;
  readonly automatic?: boolean;
  readonly json?: boolean;
}

export async function replyTo(client: Client, id: string, options: ReplyOptions, output: Output): Promise<ExitCode> {
  const { template, data, from, automatic, attach = [] } = options;
  if (template === undefined && options.text === undefined && output.interactive && process.stdin.isTTY)
    output.note('Write the answer, and end it with Ctrl-D on a line of its own.');
  const text = template !== undefined ? undefined : (options.text ?? (await textOf(process.stdin)));
  const attachments = await Promise.all(
    attach.map(async (path) => ({
      name: basename(path),
      content: (
        await readFile(path).catch(() => {
          throw new UsageError(`There is no file "${path}".`);
        })
      ).toString('base64'),
    })),
  );
  const answer = await client.inbound.reply(id, {
    ...(text === undefined ? {} : { text, quote: options.quote !== false }),
    ...(template === undefined ? {} : { template }),
    ...(data === undefined ? {} : { data: readJson(data) as Record<string, unknown> }),
    ...(attachments.length === 0 ? {} : { attachments }),
    ...(from === undefined ? {} : { from }),
    ...(automatic === true ? { automatic } : {}),
  });
  if (options.json === true) output.json(answer);
  else output.out(`${answer.id}  to ${answer.to.map(({ address }) => address).join(', ')}: ${answer.subject}`);
  return 0;
}

export async function addInbound(client: Client, file: string, options: { to: string; json?: boolean }, output: Output): Promise<ExitCode> {
  const bytes = await readFile(file).catch(() => {
    throw new UsageError(`There is no file "${file}".`, 'Name a file with one email (.eml).');
  });
  const { id, repeated } = await client.inbound.add(bytes, { to: options.to });
  if (options.json === true) output.json({ id, repeated });
  else output.out(repeated ? `${id} was there already.` : `${id} was kept. See it: verbalis inbound show ${id}`);
  return 0;
}

export async function removeInbound(client: Client, id: string, output: Output): Promise<ExitCode> {
  await client.inbound.remove(id);
  output.note(`${id} was deleted.`);
  return 0;
}
