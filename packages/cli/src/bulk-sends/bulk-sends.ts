import { accessSync, constants, openAsBlob } from 'node:fs';
import { basename } from 'node:path';
import type { BulkSendView, BulkSummary, Client, NewBulkSend } from '@verbalis/client';
import { fileFault } from '@verbalis/core/system';
import { readJson } from '../json-file.js';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { clockTime } from '../words.js';

export interface StartOptions {
  readonly file?: string;
  readonly source?: string;
  readonly to?: readonly string[];
  readonly data?: string;
  readonly name?: string;
  readonly reference?: string;
  readonly locale?: string;
  readonly perMinute?: string;
  readonly first?: string;
  readonly essential?: boolean;
  readonly wait?: boolean;
  readonly json?: boolean;
}
interface Paged {
  readonly limit?: string;
  readonly cursor?: string;
  readonly json?: boolean;
}

const SIGNS: Readonly<Record<BulkSummary['state'], readonly [string, 'green' | 'blue' | 'yellow' | 'red' | 'dim']>> = {
  running: ['…', 'blue'],
  paused: ['‖', 'yellow'],
  done: ['●', 'green'],
  canceled: ['–', 'dim'],
  failed: ['✗', 'red'],
};
const word = (state: BulkSummary['state'], color: Output['color']): string => color[SIGNS[state][1]](`${SIGNS[state][0]} ${state}`);
/** How often the service is asked, in milliseconds. */
const ASK_MS = 500;
const BAR = 30;

/** A number that a person wrote. @throws UsageError */
function numberOf(text: string | undefined, option: string): number | undefined {
  if (text === undefined) return undefined;
  const n = Number(text);
  if (!Number.isInteger(n) || n < 1) throw new UsageError(`"${text}" is not a valid number for ${option}.`);
  return n;
}

/** How many do not wait any more, of those that were accepted. */
function sentOf({ deliveries }: BulkSendView): number {
  return Object.entries(deliveries).reduce((sum, [state, n]) => (state === 'queued' || state === 'delayed' ? sum : sum + n), 0);
}

function progressText(bulk: BulkSendView, color: Output['color']): string {
  const { state, read, accepted, refused, problem } = bulk;
  const sent = sentOf(bulk);
  const full = accepted === 0 ? 0 : Math.floor((sent / accepted) * BAR);
  const bar = `${'█'.repeat(full)}${'░'.repeat(BAR - full)}`;
  return `${word(state, color)}  ${bar}  ${read} read, ${accepted} accepted, ${refused} refused, ${sent} sent${problem === undefined ? '' : `. ${problem}`}`;
}

function bulkText(bulk: BulkSendView, color: Output['color']): string {
  const { id, name, template, createdAt, endedAt, deliveries, perMinute, first } = bulk;
  const rules = [perMinute === undefined ? '' : `${perMinute} a minute`, first === undefined ? '' : `the first ${first} only`].filter(
    Boolean,
  );
  return [
    `${color.bold(name)}${name === template ? '' : ` (${template})`}  ${color.dim(id)}`,
    `  ${progressText(bulk, color)}`,
    `  begun ${clockTime(createdAt)}${endedAt === undefined ? '' : `, ended ${clockTime(endedAt)}`}${rules.length === 0 ? '' : `; ${rules.join(', ')}`}`,
    ...Object.entries(deliveries).map(([state, n]) => `  ${String(n).padStart(7)} ${state}`),
  ].join('\n');
}

/** Whether it is finished: all recipients have been read, and all have been tried. */
const isOver = ({ state, deliveries }: BulkSendView): boolean =>
  state === 'failed' || state === 'paused' || ((state === 'done' || state === 'canceled') && deliveries['queued'] === undefined);

async function untilOver(client: Client, id: string, output: Output): Promise<BulkSendView> {
  let shown = '';
  for (;;) {
    const bulk = await client.bulkSends.get(id);
    const text = progressText(bulk, output.color);
    if (output.interactive) process.stderr.write(`\r\u001B[K${text}`);
    else if (text !== shown) output.note(text);
    shown = text;
    if (isOver(bulk)) {
      if (output.interactive) process.stderr.write('\n');
      return bulk;
    }
    await new Promise((done) => setTimeout(done, ASK_MS));
  }
}

async function recipientsOf(client: Client, { file, source, to }: StartOptions): Promise<NewBulkSend['recipients']> {
  if ([file, source, to].filter((way) => way !== undefined).length !== 1)
    throw new UsageError(
      'Name the recipients in one way.',
      '--file recipients.csv, --source https://app.example/recipients, or --to ADDRESS …',
    );
  if (source !== undefined) return { url: source };
  if (file === undefined) return { list: (to ?? []).map((address) => ({ to: address })) };
  let content: Blob;
  try {
    accessSync(file, constants.R_OK);
    content = await openAsBlob(file);
  } catch (error) {
    throw new UsageError(`The file ${file} cannot be read: ${fileFault(error)}.`);
  }
  const upload = await client.uploads.add(content, { name: basename(file) });
  return { upload: upload.id, ...(/\.csv$/i.test(file) ? { format: 'csv' as const } : {}) };
}

const codeOf = ({ state }: BulkSendView): ExitCode => (state === 'failed' || state === 'canceled' ? 1 : 0);

/** Sends a template to many recipients. */
export async function startBulk(client: Client, template: string, options: StartOptions, output: Output): Promise<ExitCode> {
  const { data, name, reference, locale, essential = false, wait = false, json = false } = options;
  const [perMinute, first] = [numberOf(options.perMinute, '--per-minute'), numberOf(options.first, '--first')];
  const common = data === undefined ? {} : { data: readJson(data) as Record<string, unknown> };
  const begun = await client.bulkSends.start({
    template,
    recipients: await recipientsOf(client, options),
    essential,
    ...common,
    ...(name === undefined ? {} : { name }),
    ...(reference === undefined ? {} : { reference }),
    ...(locale === undefined ? {} : { locale }),
    ...(perMinute === undefined ? {} : { perMinute }),
    ...(first === undefined ? {} : { first }),
  });
  const bulk = wait ? await untilOver(client, begun.id, output) : begun;
  if (json) output.json(bulk);
  else {
    output.out(wait ? bulkText(bulk, output.color) : `${bulk.id} has begun. See: verbalis bulk-sends show ${bulk.id}`);
    if (wait && bulk.refused > 0) output.note(`Who was refused, and why: verbalis bulk-sends refused ${bulk.id}`);
  }
  return codeOf(bulk);
}

export async function listBulk(client: Client, { limit, cursor, json = false }: Paged, output: Output): Promise<ExitCode> {
  const page = await client.bulkSends.list({
    ...(limit === undefined ? {} : { limit: Number(limit) }),
    ...(cursor === undefined ? {} : { cursor }),
  });
  if (json) {
    output.json(page);
    return 0;
  }
  if (page.bulkSends.length === 0) output.note('No bulk sends.');
  else
    output.out(
      tableText(
        [
          { title: 'begun' },
          { title: 'state' },
          { title: 'name' },
          { title: 'read', right: true },
          { title: 'accepted', right: true },
          { title: 'refused', right: true },
          { title: 'bulk send' },
        ],
        page.bulkSends.map(({ createdAt, state, name, read, accepted, refused, id }) => [
          clockTime(createdAt),
          word(state, output.color),
          name,
          String(read),
          String(accepted),
          String(refused),
          output.color.dim(id),
        ]),
        output.color,
      ),
    );
  if (page.nextCursor !== undefined) output.note(`More: --cursor ${page.nextCursor}`);
  return 0;
}

export async function showBulk(
  client: Client,
  id: string,
  { wait = false, json = false }: { wait?: boolean; json?: boolean },
  output: Output,
): Promise<ExitCode> {
  const bulk = wait ? await untilOver(client, id, output) : await client.bulkSends.get(id);
  if (json) output.json(bulk);
  else {
    output.out(bulkText(bulk, output.color));
    if (bulk.refused > 0) output.note(`Who was refused, and why: verbalis bulk-sends refused ${id}`);
  }
  return wait ? codeOf(bulk) : 0;
}

export async function listRefused(client: Client, id: string, { limit, cursor, json = false }: Paged, output: Output): Promise<ExitCode> {
  const page = await client.bulkSends.refused(id, {
    ...(limit === undefined ? {} : { limit: Number(limit) }),
    ...(cursor === undefined ? {} : { cursor }),
  });
  if (json) {
    output.json(page);
    return 0;
  }
  if (page.refused.length === 0) output.note('No recipient was refused.');
  else
    output.out(
      tableText(
        [{ title: 'row', right: true }, { title: 'who' }, { title: 'why' }],
        page.refused.map(({ row, who = '', problems }) => [
          String(row),
          who,
          problems.map(({ path, message }) => `${path === '' ? '' : `"${path}" `}${message}`).join('; '),
        ]),
        output.color,
      ),
    );
  if (page.nextCursor !== undefined) output.note(`More: --cursor ${page.nextCursor}`);
  return 0;
}

export async function moveBulk(
  client: Client,
  { id, action }: { readonly id: string; readonly action: 'pause' | 'resume' | 'cancel' },
  output: Output,
): Promise<ExitCode> {
  const bulk = await client.bulkSends[action](id);
  output.result(bulk, bulkText(bulk, output.color));
  return 0;
}

export async function sourceSecret(client: Client, output: Output): Promise<ExitCode> {
  const found = await client.bulkSends.secret();
  output.result(found, found.secret);
  return 0;
}
