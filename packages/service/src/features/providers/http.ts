import { STATUS_CODES } from 'node:http';
import { Readable } from 'node:stream';
import { JSONPath } from 'jsonpath-plus';
import { Agent, request as requestOf, type Dispatcher } from 'undici';
import { httpVerdictRow, namesRecipient } from '@verbalis/core/delivery';
import { addressText, unsubscribeFields, wholeOf, type Mailbox, type MailFile } from '@verbalis/core/mime';
import { Budget } from '@verbalis/core/problems';
import type { Outcome, Reply } from '@verbalis/core/smtp';
import { retryAfterMs } from '../../kernel/index.js';
import { admission, gateOfConnected } from './admission.js';
import { writeForm, type FormPart } from './form.js';
import { meaningOfStatus, readProfile, type HttpProfile } from './profile.js';
import { NOT_SENT, type Finding, type Gate, type Job, type MailParts, type Provider } from './provider.js';

/** Largest answer that is read, in bytes. */
const MAX_ANSWER = 1024 * 1024;
/** What a profile may make of an email: so many entries, texts and turns of loops, so many bytes of its own, the email so many times. */
const MOST_STEPS = 200_000;
const MOST_OWN_BYTES = 1024 * 1024;
const MOST_REPEATS = 8;
/** No provider is left alone for longer than a day because it asks for it. In milliseconds. */
const HOUR_MS = 3_600_000;
const LONGEST_WAIT = 24 * HOUR_MS;

function mailboxView(mailbox: Mailbox): Record<string, unknown> {
  return { name: mailbox.name === '' ? undefined : mailbox.name, address: addressText(mailbox) };
}

function fileView(file: MailFile & { readonly id?: string }): Record<string, unknown> {
  const view: Record<string, unknown> = { name: file.name, type: file.type, size: file.body.size, id: file.id };
  // Made when a template asks for it: large, and many profiles do not.
  Object.defineProperty(view, 'base64', { enumerable: true, get: () => wholeOf(file.body).toString('base64') });
  return view;
}

/** The fields that a provider that makes emails itself has to set: the app's own, and those of the thread and of unsubscribing. */
function headersOf({ headers, inReplyTo, references, unsubscribeUrl }: MailParts): { readonly name: string; readonly value: string }[] {
  const ids = (list: readonly string[]): string => list.map((id) => `<${id}>`).join(' ');
  return [
    ...headers,
    ...(inReplyTo === undefined ? [] : [['In-Reply-To', ids([inReplyTo])] as const]),
    ...(references.length === 0 ? [] : [['References', ids(references)] as const]),
    ...unsubscribeFields(unsubscribeUrl === undefined ? undefined : { url: unsubscribeUrl }),
  ].map(([name, value]) => ({ name, value }));
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
    headers: headersOf(parts),
    attachments: parts.attachments.map(fileView),
    pictures: parts.pictures.map(fileView),
    inReplyTo: parts.inReplyTo,
    references: parts.references,
    calendar:
      parts.calendar === undefined ? undefined : { ...parts.calendar, base64: Buffer.from(parts.calendar.text, 'utf8').toString('base64') },
    unsubscribeUrl: parts.unsubscribeUrl,
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

function formParts(made: unknown): FormPart[] {
  const entries = Array.isArray(made) ? (made as unknown[]) : [];
  return entries.flatMap((entry): FormPart[] => {
    if (typeof entry !== 'object' || entry === null) return [];
    const { name, value, file } = entry as { name?: unknown; value?: unknown; file?: Record<string, unknown> };
    if (typeof name !== 'string') return [];
    if (file === undefined) return value === undefined ? [] : [{ name, value: text(value) }];
    const bytes = typeof file['base64'] === 'string' ? Buffer.from(file['base64'], 'base64') : Buffer.from(text(file['content']), 'latin1');
    return [{ name, file: { name: text(file['name'] ?? 'file'), type: text(file['type'] ?? 'application/octet-stream'), bytes } }];
  });
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

/** An answer as it is read, whole. */
interface Answer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | readonly string[] | undefined>>;
  readonly content: string;
}

/** A request as it is sent: the same bytes for the same email. */
interface MadeRequest {
  readonly url: string;
  readonly method: 'POST' | 'PUT';
  readonly headers: readonly (readonly [name: string, value: string])[];
  readonly body: Uint8Array;
}

async function readBody(body: AsyncIterable<Buffer>): Promise<string> {
  const chunks: Buffer[] = [];
  let size = 0;
  for await (const chunk of body) {
    size += chunk.length;
    if (size > MAX_ANSWER) throw new Error(`the answer has more than ${MAX_ANSWER} bytes`);
    chunks.push(chunk);
  }
  return Buffer.concat(chunks).toString('utf8');
}

/** What kept a request from being answered. Before its content may have left nothing has happened; after, nobody knows. */
function broken(
  error: unknown,
  where: string,
  { hasLeft, waitSeconds }: { readonly hasLeft: boolean; readonly waitSeconds: number },
): Outcome {
  const { name, code, message } = error as NodeJS.ErrnoException;
  const timedOut = name === 'TimeoutError' || code === 'UND_ERR_CONNECT_TIMEOUT';
  const reason = timedOut
    ? `${where} gave no answer within ${waitSeconds} seconds.`
    : `${where} could not be asked: ${code === undefined || code.startsWith('UND_') ? message : code}.`;
  return hasLeft
    ? { kind: 'uncertain', phase: 'answer', reply: undefined, reason }
    : { kind: 'trouble', scope: 'provider', phase: 'connect', reply: undefined, reason };
}

/** Thrown into a request whose email is not to be sent any more. */
class NotToBeSent extends Error {}

/** Sends a request once its content may leave, and reads the answer. */
async function exchange(
  made: MadeRequest,
  gate: Gate,
  options: { readonly dispatcher: Dispatcher; readonly signal: AbortSignal; readonly left: () => void },
): Promise<Answer> {
  const { dispatcher, signal, left } = options;
  // Read by the client once there is a connection, encrypted where it is to be.
  const body = async function* (): AsyncGenerator<Uint8Array> {
    if (!(await gate.mayLeave())) throw new NotToBeSent();
    left();
    yield made.body;
  };
  const headers = [...made.headers, ['content-length', String(made.body.length)] as const].flat();
  const response = await requestOf(made.url, { method: made.method, headers, body: Readable.from(body()), dispatcher, signal });
  return { status: response.statusCode, headers: response.headers, content: await readBody(response.body as AsyncIterable<Buffer>) };
}

/** Any HTTP mail API, spoken to as its profile says. */
export function httpProvider(name: string, profile: HttpProfile, { isShared }: { readonly isShared: boolean }): Provider {
  const { request, answer, secrets } = profile;
  const { url, headers, body } = readProfile(name, profile);
  const admit = admission(profile.connections, { isPacedByDomain: false, isShared });
  const where = new URL(request.url.replace(/\{\{[^{}]*\}\}/g, 'x')).origin;

  const agent = new Agent({
    connections: profile.connections,
    // The whole exchange has a time limit of its own.
    headersTimeout: 0,
    bodyTimeout: 0,
    connect: { timeout: profile.waitSeconds * 1000 },
  });

  const make = (job: Job): MadeRequest => {
    const view = viewOf(job, secrets);
    const work = new Budget('It', { steps: MOST_STEPS, bytes: MOST_OWN_BYTES + MOST_REPEATS * job.mail.size });
    const made = body(view, work);
    const own = Object.entries(headers(view, work) as Record<string, unknown>).map(
      ([key, value]) => [key.toLowerCase(), text(value)] as const,
    );
    for (const name of ['traceparent', 'tracestate'] as const) {
      const value = job.parts[name];
      if (value !== undefined && !own.some(([key]) => key === name)) own.push([name, value]);
    }
    // The same for each attempt of a delivery.
    if (request.idempotency !== undefined) own.push([request.idempotency.header.toLowerCase(), job.parts.deliveryId]);
    const type = (value: string): readonly (readonly [string, string])[] =>
      own.some(([key]) => key === 'content-type') ? [] : [['content-type', value]];
    const shared = { url: text(url(view, work)), method: request.method };
    if (request.json !== undefined)
      return { ...shared, headers: [...type('application/json'), ...own], body: Buffer.from(JSON.stringify(made)) };
    if (request.form === undefined) return { ...shared, headers: own, body: Buffer.from(text(made), 'latin1') };
    const form = writeForm(formParts(made), job.parts.deliveryId);
    return { ...shared, headers: [...type(form.type), ...own], body: form.body };
  };

  const ask = async (job: Job, gate: Gate): Promise<Outcome> => {
    let made: MadeRequest;
    try {
      made = make(job);
    } catch (error) {
      const reason = `The request of the profile "${name}" cannot be made: ${error instanceof Error ? error.message : String(error)}`;
      return { kind: 'rejected', phase: 'request', reply: undefined, reason };
    }
    let hasLeft = false;
    const end = new AbortController();
    const timer = setTimeout(() => {
      end.abort(Object.assign(new Error('too late'), { name: 'TimeoutError' }));
    }, profile.waitSeconds * 1000);
    try {
      const left = (): void => {
        hasLeft = true;
      };
      return repeatable(outcomeOf(await exchange(made, gate, { dispatcher: agent, signal: end.signal, left })));
    } catch (error) {
      if (error instanceof NotToBeSent) return NOT_SENT;
      return repeatable(broken(error, where, { hasLeft, waitSeconds: profile.waitSeconds }));
    } finally {
      clearTimeout(timer);
    }
  };

  /** A request with a key may be repeated for as long as the provider remembers the key. */
  const repeatable = (outcome: Outcome): Outcome =>
    outcome.kind !== 'uncertain' || request.idempotency === undefined
      ? outcome
      : { ...outcome, repeatableMs: request.idempotency.hours * HOUR_MS };

  const outcomeOf = (found: Answer): Outcome => {
    let parsed: unknown;
    try {
      parsed = JSON.parse(found.content);
    } catch {
      parsed = undefined;
    }
    const said = at(parsed, answer.reason);
    const status = at(parsed, answer.status);
    const enhanced = status !== undefined && /^[245]\.\d{1,3}\.\d{1,3}$/.test(status) ? status : undefined;
    const row = httpVerdictRow(found.status);
    const means = meaningOfStatus(found.status, answer.statuses);
    let kind = means ?? row.kind;
    // After the content has left only an answer that rules it out shows that nothing was accepted.
    if (means === undefined && kind === 'uncertain' && answer.notAccepted.includes(found.status)) kind = 'trouble';
    if (kind !== 'accepted') {
      const word = answer.words.find(({ has }) => (said ?? found.content).toLowerCase().includes(has.toLowerCase()));
      if (word !== undefined) kind = word.means;
      else if (kind === 'rejected' && namesRecipient(said ?? found.content, enhanced)) kind = 'refused';
    }
    if (kind === 'accepted') return acceptedBy(found, parsed);
    const location = found.headers['location'];
    const redirected =
      found.status >= 300 && found.status < 400
        ? ` (to ${typeof location === 'string' ? location : 'nowhere'}; redirects are not followed)`
        : '';
    const words = `${said ?? found.content.replace(/\s+/g, ' ').slice(0, 500)}${redirected}`;
    const reply: Reply = { code: found.status, enhanced, lines: [words === '' ? (STATUS_CODES[found.status] ?? '') : words] };
    const wait = retryAfterMs(found.headers['retry-after'], Date.now());
    return {
      kind,
      phase: 'answer',
      reply,
      ...(kind === 'trouble' ? { scope: row.kind === 'trouble' ? row.scope : 'provider' } : {}),
      ...(kind === row.kind ? { cause: row.cause } : {}),
      retryAfterMs: wait === undefined ? undefined : Math.min(wait, LONGEST_WAIT),
    };
  };

  const acceptedBy = (found: Answer, parsed: unknown): Outcome => {
    const field = /^header:(.*)$/.exec(answer.id ?? '')?.[1];
    const header = field === undefined ? undefined : found.headers[field.toLowerCase()];
    const providerId = field === undefined ? at(parsed, answer.id) : typeof header === 'string' ? header : undefined;
    const reason =
      answer.id === undefined || providerId !== undefined
        ? `${found.status} ${STATUS_CODES[found.status] ?? ''}`.trim()
        : `${found.status}, but the answer holds no id at ${answer.id}; callbacks cannot be matched by it.`;
    return { kind: 'accepted', phase: 'answer', reply: undefined, reason, providerId };
  };

  return {
    name,
    kind: 'http',
    where,
    hand: (job, gate) =>
      admit(job, gate, async () => {
        const connected = gateOfConnected(gate);
        const outcome = await ask(job, connected);
        connected.ended();
        return outcome;
      }),
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
        const response = await requestOf(where, {
          method: 'HEAD',
          dispatcher: agent,
          signal: AbortSignal.timeout(profile.waitSeconds * 1000),
        });
        await response.body.dump();
        return [
          finding({
            step: 'connect',
            ok: true,
            detail: `${where} answers (${response.statusCode}). Whether it takes mail shows with --to ADDRESS.`,
          }),
        ];
      } catch (error) {
        return [
          finding({
            step: 'connect',
            ok: false,
            detail: broken(error, where, { hasLeft: false, waitSeconds: profile.waitSeconds }).reason ?? '',
            hint: 'Check request.url, and whether a firewall is in the way.',
          }),
        ];
      }
    },
    close: () => {
      void agent.close();
    },
  };
}
