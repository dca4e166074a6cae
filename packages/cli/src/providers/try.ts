import { readFile } from 'node:fs/promises';
import type { Client, ProviderTrial } from '@verbalis/client';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';

export interface TryOptions {
  readonly json?: boolean;
  readonly template?: string;
  readonly sample?: string;
  readonly message?: string;
  readonly to?: string;
  readonly show?: boolean;
  readonly answer?: string;
  readonly status?: string;
  readonly callback?: string;
  readonly headers?: string;
}

/** So much of a body is shown without --show, in characters. */
const SHORT = 600;

async function fileOf(path: string): Promise<Buffer> {
  return readFile(path).catch(() => {
    throw new UsageError(`There is no file "${path}".`);
  });
}

/** An answer as HTTP/1.1 writes it, from a file that holds it or its body. */
async function recordedAnswer(path: string, status: string | undefined): Promise<Buffer> {
  const bytes = await fileOf(path);
  if (bytes.subarray(0, 5).toString('latin1') === 'HTTP/') return bytes;
  if (status === undefined)
    throw new UsageError(
      `"${path}" does not begin with "HTTP/1.1 200 OK".`,
      'Name the status of the answer that it is the body of: --status 422.',
    );
  if (!/^[1-5]\d\d$/.test(status)) throw new UsageError(`"${status}" is not a status.`, 'As in --status 422.');
  return Buffer.concat([Buffer.from(`HTTP/1.1 ${status}\r\nContent-Length: ${bytes.length}\r\n\r\n`), bytes]);
}

/** A call as HTTP/1.1 writes it, from a file that holds it, or from files with its body and its header fields. */
async function recordedCall(name: string, path: string, headers: string | undefined): Promise<Buffer> {
  const bytes = await fileOf(path);
  if (/^(?:GET|POST) \S/.test(bytes.subarray(0, 10).toString('latin1'))) return bytes;
  const fields = headers === undefined ? '' : (await fileOf(headers)).toString('latin1').trim().replace(/\r?\n/g, '\r\n');
  const head = [`POST /v1/callbacks/${name} HTTP/1.1`, ...(fields === '' ? [] : [fields]), `Content-Length: ${bytes.length}`];
  return Buffer.concat([Buffer.from(`${head.join('\r\n')}\r\n\r\n`, 'latin1'), bytes]);
}

/** A template of the space, rendered from a sample. */
async function rendered(
  client: Client,
  template: string,
  sample: string | undefined,
): Promise<{ subject: string; text: string; html: string }> {
  const named = sample ?? (await client.templates.get(template)).samples[0];
  const { mail, dataProblems } = await client.templates.render(template, named === undefined ? {} : { sample: named });
  if (mail === undefined) {
    const [first] = dataProblems;
    throw new UsageError(
      `"${template}" cannot be rendered: ${first?.path ?? ''} ${first?.message ?? 'it has problems.'}`.trim(),
      'verbalis check shows what is wrong.',
    );
  }
  return { subject: mail.subject, text: mail.text, html: await client.templates.frameHtml(mail.frame) };
}

/** Shows what a profile makes of an email, an answer or a call. Ends with 1 where it makes nothing of it. */
export async function tryProvider(client: Client, name: string, options: TryOptions, output: Output): Promise<ExitCode> {
  const { template, sample, message, to, answer, callback } = options;
  const trial = await client.providers.try(name, {
    to,
    message,
    content: template === undefined ? undefined : await rendered(client, template, sample),
    answer: answer === undefined ? undefined : (await recordedAnswer(answer, options.status)).toString('base64'),
    call: callback === undefined ? undefined : (await recordedCall(name, callback, options.headers)).toString('base64'),
  });
  if (options.json === true) output.json(trial);
  else
    output.out(
      [requestText(trial, options, output), answerText(trial, output), callText(trial, output)].filter((text) => text !== '').join('\n\n'),
    );
  const { call } = trial;
  return call !== undefined &&
    (call.signature !== 'right' || call.problem !== undefined || call.events.some(({ meaning }) => meaning === undefined))
    ? 1
    : 0;
}

function requestText({ request }: ProviderTrial, { show = false }: TryOptions, { color }: Output): string {
  if (request === undefined) return '';
  const { method, url, headers, body, bytes } = request;
  const isShort = show || body.length <= SHORT;
  const more = isShort ? '' : color.dim(`\n… ${bytes.toLocaleString('en')} bytes in all; --show shows them.`);
  return [
    `${color.bold(method)} ${url}`,
    ...headers.map((header) => `${header.name}: ${header.value}`),
    '',
    `${isShort ? body : body.slice(0, SHORT)}${more}`,
  ].join('\n');
}

function answerText({ answer }: ProviderTrial, { color }: Output): string {
  if (answer === undefined) return '';
  const { outcome, because, cause, providerId, diagnostic, retryAfterSeconds, values } = answer;
  const rows = [
    ['outcome', `${outcome === 'accepted' ? color.green(outcome) : color.red(outcome)}, by ${because}`],
    ...(cause === undefined ? [] : [['cause', cause]]),
    ...(providerId === undefined ? [] : [['id', providerId]]),
    ...(diagnostic === undefined ? [] : [['text', diagnostic]]),
    ...(retryAfterSeconds === undefined ? [] : [['wait', `${retryAfterSeconds} s`]]),
    ['values', JSON.stringify(values)],
  ];
  return rows.map(([title = '', text = '']) => `${color.dim(title.padEnd(8))} ${text}`).join('\n');
}

function callText({ call }: ProviderTrial, { color }: Output): string {
  if (call === undefined) return '';
  const { signature, handshake, problem, events } = call;
  const lines = [`${color.dim('signature')} ${signature === 'right' ? color.green(signature) : color.red(signature)}`];
  if (handshake !== undefined) return [...lines, `${color.dim('handshake')} ${handshake}`].join('\n');
  if (problem !== undefined) return [...lines, `${color.red('✗')} ${problem}`].join('\n');
  const columns = ['meaning', 'word', 'about', 'at', 'id', 'reason'].map((title) => ({ title }));
  const rows = events.map(({ meaning, cause, type, address, mail, delivery, at, id, status, reason }) => [
    meaning === undefined ? color.red('no word for it') : cause === undefined ? meaning : `${meaning} (${cause})`,
    type,
    address ?? delivery ?? mail ?? '',
    at ?? '',
    id.length > 24 ? `${id.slice(0, 23)}…` : id,
    [status, reason].filter((text) => text !== undefined).join(' '),
  ]);
  return [...lines, tableText(columns, rows, color)].join('\n');
}
