import pLimit from 'p-limit';
import { JSONPath } from 'jsonpath-plus';
import { addressText, wholeOf, type Mailbox, type MailFile } from '@verbalis/core/mime';
import type { Outcome, Reply } from '@verbalis/core/smtp';
import { meaningOfStatus, readProfile, type HttpProfile } from './profile.js';
import type { Finding, Job, Provider } from './provider.js';

/** Largest answer that is read, in bytes. */
const MAX_ANSWER = 1024 * 1024;

function mailboxView(mailbox: Mailbox): Record<string, unknown> {
  return { name: mailbox.name === '' ? undefined : mailbox.name, address: addressText(mailbox) };
}

function fileView(file: MailFile & { readonly id?: string }): Record<string, unknown> {
  const view: Record<string, unknown> = { name: file.name, type: file.type, size: file.body.size, id: file.id };
  // Made when a template asks for it: large, and many profiles do not.
  Object.defineProperty(view, 'base64', { enumerable: true, get: () => wholeOf(file.body).toString('base64') });
  return view;
}

/** What the templates of a profile see. */
function viewOf({ envelope, mail, parts }: Job, secrets: Readonly<Record<string, string>>): Record<string, unknown> {
  const message: Record<string, unknown> = {
    id: parts.messageId,
    deliveryId: parts.deliveryId,
    from: mailboxView(parts.from),
    recipient: { address: envelope.to, name: [...parts.to, ...parts.cc].find((mailbox) => addressText(mailbox) === envelope.to)?.name },
    to: parts.to.map(mailboxView),
    cc: parts.cc.map(mailboxView),
    replyTo: parts.replyTo.map(mailboxView),
    returnPath: envelope.from,
    subject: parts.subject,
    text: parts.text,
    html: parts.html,
    headers: parts.headers.map(([name, value]) => ({ name, value })),
    attachments: parts.attachments.map(fileView),
    pictures: parts.pictures.map(fileView),
    template: parts.template,
    topic: parts.topic,
    reference: parts.reference,
    labels: Object.entries(parts.labels).map(([name, value]) => ({ name, value })),
    size: mail.size,
  };
  Object.defineProperty(message, 'raw', { enumerable: true, get: () => wholeOf(mail).toString('latin1') });
  Object.defineProperty(message, 'rawBase64', { enumerable: true, get: () => wholeOf(mail).toString('base64') });
  return { message, secrets };
}

function formOf(made: unknown): FormData {
  const form = new FormData();
  const entries = Array.isArray(made) ? (made as unknown[]) : [];
  for (const entry of entries) {
    if (typeof entry !== 'object' || entry === null) continue;
    const { name, value, file } = entry as { name?: unknown; value?: unknown; file?: Record<string, unknown> };
    if (typeof name !== 'string') continue;
    if (file === undefined) {
      if (value !== undefined) form.append(name, text(value));
      continue;
    }
    const bytes = typeof file['base64'] === 'string' ? Buffer.from(file['base64'], 'base64') : Buffer.from(text(file['content']), 'latin1');
    form.append(name, new Blob([bytes], { type: text(file['type'] ?? 'application/octet-stream') }), text(file['name'] ?? 'file'));
  }
  return form;
}

function text(value: unknown): string {
  return typeof value === 'string' ? value : value === undefined || value === null ? '' : JSON.stringify(value);
}

/** The first thing at a JSONPath, as text. */
function at(body: unknown, path: string | undefined): string | undefined {
  if (path === undefined || typeof body !== 'object' || body === null) return undefined;
  const found: unknown = JSONPath({ path, json: body, wrap: true, eval: false });
  const first: unknown = Array.isArray(found) ? found[0] : undefined;
  return first === undefined || first === null ? undefined : text(first);
}

/** How long an answer asks to wait (RFC 9110 10.2.3): seconds or a date. */
function retryAfter(value: string | null, now: number): number | undefined {
  if (value === null) return undefined;
  const seconds = /^\s*\d{1,9}\s*$/.test(value) ? Number(value) * 1000 : Date.parse(value) - now;
  return Number.isFinite(seconds) ? Math.min(Math.max(0, seconds), 24 * 3_600_000) : undefined;
}

async function readBody(response: Response): Promise<string> {
  const chunks: Uint8Array[] = [];
  let size = 0;
  if (response.body === null) return '';
  for await (const chunk of response.body as unknown as AsyncIterable<Uint8Array>) {
    size += chunk.length;
    if (size > MAX_ANSWER) throw new Error(`the answer has more than ${MAX_ANSWER} bytes`);
    chunks.push(chunk);
  }
  return Buffer.concat(chunks).toString('utf8');
}

/** What kept a request from being answered. Before it was sent nothing has happened; after, nobody knows. */
function broken(error: unknown, where: string, waitSeconds: number): Outcome {
  const cause = (error as { cause?: { code?: string; message?: string } }).cause;
  const code = cause?.code ?? '';
  const before =
    ['ECONNREFUSED', 'ENOTFOUND', 'EAI_AGAIN', 'UND_ERR_CONNECT_TIMEOUT', 'EHOSTUNREACH', 'ENETUNREACH'].includes(code) ||
    code.includes('CERT');
  const timedOut = (error as { name?: string }).name === 'TimeoutError';
  const reason = timedOut
    ? `${where} gave no answer within ${waitSeconds} seconds.`
    : `${where} could not be asked: ${code === '' ? (cause?.message ?? (error instanceof Error ? error.message : String(error))) : code}.`;
  return { kind: before ? 'trouble' : 'uncertain', phase: before ? 'connect' : 'answer', reply: undefined, reason };
}

/** Any HTTP mail API, spoken to as its profile says. */
export function httpProvider(name: string, profile: HttpProfile): Provider {
  const { request, answer, secrets } = profile;
  const { url, headers, body } = readProfile(name, profile);
  const inTurn = pLimit(profile.connections);
  const where = new URL(request.url.replace(/\{\{.*?\}\}/g, 'x')).origin;

  const ask = async (job: Job): Promise<Outcome> => {
    let target: string;
    let init: RequestInit;
    try {
      const view = viewOf(job, secrets);
      target = text(url(view));
      const made = body(view);
      const sent = Object.entries(headers(view) as Record<string, unknown>).map(([key, value]): [string, string] => [key, text(value)]);
      const json = request.json !== undefined;
      init = {
        method: request.method,
        headers: [...(json ? [['Content-Type', 'application/json'] as [string, string]] : []), ...sent],
        body: json ? JSON.stringify(made) : request.form === undefined ? Buffer.from(text(made), 'latin1') : formOf(made),
        // An answer from elsewhere is no answer, and would carry the key there.
        redirect: 'manual',
        signal: AbortSignal.timeout(profile.waitSeconds * 1000),
      };
    } catch (error) {
      return {
        kind: 'trouble',
        phase: 'request',
        reply: undefined,
        reason: `The request of the profile "${name}" cannot be made: ${error instanceof Error ? error.message : String(error)}`,
      };
    }
    let response: Response;
    let content: string;
    try {
      response = await fetch(target, init);
      content = await readBody(response);
    } catch (error) {
      return broken(error, where, profile.waitSeconds);
    }
    return outcomeOf(response, content);
  };

  const outcomeOf = (response: Response, content: string): Outcome => {
    let parsed: unknown;
    try {
      parsed = JSON.parse(content);
    } catch {
      parsed = undefined;
    }
    const said = at(parsed, answer.reason);
    let kind = meaningOfStatus(response.status, answer.statuses);
    if (kind !== 'accepted')
      kind = answer.words.find((word) => (said ?? content).toLowerCase().includes(word.has.toLowerCase()))?.means ?? kind;
    const retryAfterMs = retryAfter(response.headers.get('retry-after'), Date.now());
    if (kind !== 'accepted') {
      const redirected =
        response.status >= 300 && response.status < 400
          ? ` (to ${response.headers.get('location') ?? 'nowhere'}; redirects are not followed)`
          : '';
      const status = at(parsed, answer.status);
      const words = `${said ?? content.replace(/\s+/g, ' ').slice(0, 500)}${redirected}`;
      const reply: Reply = {
        code: response.status,
        enhanced: status !== undefined && /^[245]\.\d{1,3}\.\d{1,3}$/.test(status) ? status : undefined,
        lines: [words === '' ? response.statusText : words],
      };
      return { kind, phase: 'answer', reply, retryAfterMs };
    }
    const header = answer.id?.startsWith('header:') === true ? answer.id.slice('header:'.length) : undefined;
    const providerId = header === undefined ? at(parsed, answer.id) : (response.headers.get(header) ?? undefined);
    const reason =
      answer.id === undefined || providerId !== undefined
        ? `${response.status} ${response.statusText}`.trim()
        : `${response.status}, but the answer holds no id at ${answer.id}; callbacks cannot be matched by it.`;
    return { kind: 'accepted', phase: 'answer', reply: undefined, reason, providerId };
  };

  return {
    name,
    kind: 'http',
    where,
    hand: (job) => inTurn(() => ask(job)),
    async examine() {
      const from = performance.now();
      const finding = ({
        step,
        ok,
        detail,
        hint,
      }: {
        readonly step: string;
        readonly ok: boolean;
        readonly detail: string;
        readonly hint?: string | undefined;
      }): Finding => ({
        step,
        ok,
        milliseconds: Math.round(performance.now() - from),
        detail,
        hint,
      });
      try {
        const response = await fetch(where, {
          method: 'HEAD',
          redirect: 'manual',
          signal: AbortSignal.timeout(profile.waitSeconds * 1000),
        });
        return [
          finding({
            step: 'connect',
            ok: true,
            detail: `${where} answers (${response.status}). Whether it takes mail shows with --to ADDRESS.`,
          }),
        ];
      } catch (error) {
        return [
          finding({
            step: 'connect',
            ok: false,
            detail: broken(error, where, profile.waitSeconds).reason ?? '',
            hint: 'Check request.url, and whether a firewall is in the way.',
          }),
        ];
      }
    },
    close: () => undefined,
  };
}
