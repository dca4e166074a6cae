import { readFileSync } from 'node:fs';
import { STATUS_CODES } from 'node:http';
import { Readable } from 'node:stream';
import { readProfile, type Answer, type MadeRequest, type ReadProfile } from '@verbalis/core/profile';
import type { Outcome } from '@verbalis/core/smtp';
import type { Dispatcher } from 'undici';
import { httpConnections, type Clock, type HttpConnections } from '../../kernel/index.js';
import { admission, gateOfConnected } from './admission.js';
import { messageView } from './message-view.js';
import type { HttpProfile } from './profile.js';
import { NOT_SENT, type Finding, type Gate, type Job, type Provider, type ShownRequest } from './provider.js';
import { tokenSource, type TokenSource } from './token.js';

/** Largest answer that is read, in bytes. */
const MAX_ANSWER = 1024 * 1024;
const HOUR_MS = 3_600_000;

export interface HttpSurroundings {
  /** Whether several spaces send through it. */
  readonly isShared: boolean;
  /** A path of the configuration, from its folder on. */
  readonly within: (path: string) => string;
  readonly clock: Pick<Clock, 'now' | 'elapsed'>;
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
  mayLeave: Gate['mayLeave'],
  options: { readonly connections: HttpConnections; readonly signal: AbortSignal; readonly left: () => void },
): Promise<Answer> {
  const { connections, signal, left } = options;
  // Read by the client once there is a connection, encrypted where it is to be.
  const body = async function* (): AsyncGenerator<Uint8Array> {
    if (!(await mayLeave())) throw new NotToBeSent();
    left();
    yield made.body;
  };
  const headers = [...made.headers, ['content-length', String(made.body.length)] as const].flat();
  const method = made.method;
  const response = await connections.request(made.url, { method, headers, body: Readable.from(body()), signal });
  return answerOf(response);
}

async function answerOf({ statusCode: status, headers, body }: Dispatcher.ResponseData<unknown>): Promise<Answer> {
  return { status, phrase: STATUS_CODES[status], headers, content: await readBody(body as AsyncIterable<Buffer>) };
}

function connectionsOf(profile: HttpProfile, within: (path: string) => string): HttpConnections {
  const { caFile, certificateFile, keyFile, name } = profile.tls;
  const file = (path: string | undefined): string | undefined => (path === undefined ? undefined : readFileSync(within(path), 'utf8'));
  const given = Object.entries({ ca: file(caFile), cert: file(certificateFile), key: file(keyFile), servername: name });
  const connect = { timeout: profile.waitSeconds * 1000, ...Object.fromEntries(given.filter(([, value]) => value !== undefined)) };
  // The whole exchange has a time limit of its own.
  return httpConnections(({ Agent }) => new Agent({ connections: profile.connections, headersTimeout: 0, bodyTimeout: 0, connect }));
}

/** A part of what keeps the same for a provider while it is open. */
interface Opened {
  readonly profile: HttpProfile;
  readonly reading: ReadProfile;
  readonly connections: HttpConnections;
  readonly tokens: TokenSource | undefined;
  readonly clock: HttpSurroundings['clock'];
}

/** An email cannot be put into a request of the profile. */
class RequestFault extends Error {}

/** There is no access token. */
class TokenFault extends Error {}

/** Makes the request for an email. @throws Error that says why it cannot be made */
function makeRequest(
  { request }: ReadProfile,
  job: Job,
  { token, now }: { readonly token?: string | undefined; readonly now: number },
): MadeRequest {
  const headers = (['traceparent', 'tracestate'] as const).flatMap((name) => {
    const value = job.parts[name];
    return value === undefined ? [] : [[name, value] as const];
  });
  return request.make({ message: messageView(job), size: job.mail.size, deliveryId: job.parts.deliveryId, headers, token, now });
}

/** The request for an email, as the provider is open now. @throws RequestFault, TokenFault */
async function readyRequest(
  { reading, tokens, clock }: Opened,
  job: Job,
): Promise<{ readonly made: MadeRequest; readonly token: string | undefined }> {
  let token: string | undefined;
  try {
    token = await tokens?.get();
  } catch (error) {
    throw new TokenFault(error instanceof Error ? error.message : String(error));
  }
  try {
    return { made: makeRequest(reading, job, { token, now: clock.now() }), token };
  } catch (error) {
    throw new RequestFault(`The request of the profile cannot be made: ${error instanceof Error ? error.message : String(error)}`);
  }
}

/** One attempt to hand an email over. */
async function ask(opened: Opened, job: Job, gate: Gate): Promise<Outcome> {
  const { profile, reading, connections, tokens, clock } = opened;
  const { waitSeconds } = profile;
  const { mostBytes } = profile.facts;
  if (mostBytes !== undefined && job.mail.size > mostBytes) {
    const reason = `The email has ${job.mail.size} bytes; this provider takes at most ${mostBytes}.`;
    return { kind: 'rejected', phase: 'request', reply: undefined, cause: 'too-large', reason };
  }
  let hasLeft = false;
  const end = new AbortController();
  const timer = setTimeout(() => {
    end.abort(Object.assign(new Error('too late'), { name: 'TimeoutError' }));
  }, waitSeconds * 1000);
  const left = (): void => {
    hasLeft = true;
  };
  const options = { connections, signal: end.signal, left };
  try {
    const { made, token } = await readyRequest(opened, job);
    let answer = await exchange(made, gate.mayLeave, options);
    if (answer.status === 401 && tokens !== undefined && token !== undefined) {
      // It may have expired early, or been revoked. The first request was refused, so it can be repeated; its content has left before.
      tokens.drop(token);
      const again = await readyRequest(opened, job);
      answer = await exchange(again.made, () => Promise.resolve(true), options);
    }
    return reading.answer.read(answer, { address: job.envelope.to, now: clock.now() }).outcome;
  } catch (error) {
    if (error instanceof NotToBeSent) return NOT_SENT;
    if (error instanceof RequestFault) return { kind: 'rejected', phase: 'request', reply: undefined, reason: error.message };
    if (error instanceof TokenFault)
      return { kind: 'trouble', scope: 'provider', phase: 'login', reply: undefined, cause: 'authentication', reason: error.message };
    return broken(error, reading.request.origin, { hasLeft, waitSeconds });
  } finally {
    clearTimeout(timer);
  }
}

/** Statuses of a HEAD that show that something is at the address, though it wants another method or a key. */
const SOMETHING_THERE = [400, 401, 403, 405, 406, 411, 415, 422];

/** Calls the provider without an email. */
async function examine({ profile, reading, connections, tokens, clock }: Opened): Promise<Finding[]> {
  const from = performance.now();
  const finding = (step: string, ok: boolean, more: { readonly detail: string; readonly hint?: string | undefined }): Finding => ({
    step,
    ok,
    milliseconds: Math.round(performance.now() - from),
    ...more,
  });
  const { makeCheck, origin } = reading.request;
  const signal = AbortSignal.timeout(profile.waitSeconds * 1000);
  const call = async ({ url, method, headers }: Pick<MadeRequest, 'url' | 'method' | 'headers'>): Promise<Answer> => {
    return answerOf(await connections.request(url, { method, headers: headers.flat(), signal }));
  };
  try {
    const token = await tokens?.get();
    const tokenFinding = tokens === undefined ? [] : [finding('login', true, { detail: 'An access token was given.' })];
    if (makeCheck === undefined) {
      const url = profile.request.url.includes('{{') ? origin : profile.request.url;
      const { status } = await call({ url, method: 'HEAD', headers: [] });
      const ok = (status >= 200 && status < 300) || SOMETHING_THERE.includes(status);
      const detail = `${url} answers ${status}. Whether it takes email shows with --to ADDRESS, or with a \`check\` in the profile.`;
      return [...tokenFinding, finding('connect', ok, { detail, hint: ok ? undefined : 'Check request.url.' })];
    }
    const made = makeCheck({ token, now: clock.now() });
    const answer = await call(made);
    const ok = reading.isOk(answer, { address: '', now: clock.now() });
    const shown = answer.content.replace(/\s+/g, ' ').slice(0, 300);
    const detail = `${made.method} ${new URL(made.url).origin}${new URL(made.url).pathname} answers ${answer.status}${ok || shown === '' ? '' : `: ${shown}`}`;
    return [
      ...tokenFinding,
      finding('check', ok, { detail, hint: ok ? undefined : 'Check the secrets of the provider, and `check` in its profile.' }),
    ];
  } catch (error) {
    const isToken = error instanceof Error && error.message.startsWith('No access token');
    const detail = isToken ? error.message : (broken(error, origin, { hasLeft: false, waitSeconds: profile.waitSeconds }).reason ?? '');
    const hint = isToken ? 'Check authorisation in the profile.' : 'Check request.url, and whether a firewall is in the way.';
    return [finding(isToken ? 'login' : 'connect', false, { detail, hint })];
  }
}

/** What secrets are shown as. */
const MASK = '…';
/** So much of a body is shown, in characters. */
const MOST_SHOWN = 100_000;
/** What is shorter is found everywhere, and is hardly a secret. */
const LEAST_SECRET = 4;

/** Texts of a profile that nobody is shown, as they are and as they travel. */
function secretTexts({ secrets, authorisation }: HttpProfile): string[] {
  const own = Object.entries(authorisation ?? {}).flatMap(([name, value]) =>
    ['password', 'token', 'value', 'clientSecret'].includes(name) && typeof value === 'string' ? [value] : [],
  );
  const all = [...Object.values(secrets), ...own].filter((text) => text.length >= LEAST_SECRET && !text.includes('{{'));
  return [...new Set(all.flatMap((text) => [text, encodeURIComponent(text), JSON.stringify(text).slice(1, -1)]))].sort(
    (a, b) => b.length - a.length,
  );
}

/** A request without what is secret in it. */
function shownRequest({ method, url, headers, body }: MadeRequest, profile: HttpProfile): ShownRequest {
  const secrets = secretTexts(profile);
  const masked = (text: string): string => secrets.reduce((shown, secret) => shown.split(secret).join(MASK), text);
  return {
    method,
    url: masked(url),
    // The scheme says how it is done; what follows it is what it is done with.
    headers: headers.map(([name, value]) => ({
      name,
      value: name === 'authorization' ? masked(value).replace(/^(\S+) .*$/s, `$1 ${MASK}`) : masked(value),
    })),
    body: masked(body.toString('utf8').slice(0, MOST_SHOWN)),
    bytes: body.length,
  };
}

/** Any HTTP mail API, spoken to as its profile says. */
export function httpProvider(name: string, profile: HttpProfile, { isShared, within, clock }: HttpSurroundings): Provider {
  const reading = readProfile(profile);
  const connections = connectionsOf(profile, within);
  const { token } = reading.request;
  const tokens =
    token === undefined
      ? undefined
      : tokenSource(token, { connections, waitMs: profile.waitSeconds * 1000, elapsed: () => clock.elapsed() });
  const opened: Opened = { profile, reading, connections, tokens, clock };
  const admit = admission(profile.connections, { isPacedByDomain: false, isShared });
  const { idempotency } = profile.request;

  /** A request with a key may be repeated for as long as the provider remembers the key. */
  const repeatable = (outcome: Outcome): Outcome =>
    outcome.kind !== 'uncertain' || idempotency === undefined ? outcome : { ...outcome, repeatableMs: idempotency.hours * HOUR_MS };

  return {
    name,
    kind: 'http',
    where: reading.request.origin,
    trial: {
      reading,
      request: (job) => shownRequest(makeRequest(reading, job, { token: MASK, now: clock.now() }), profile),
    },
    hand: (job, gate) =>
      admit(job, gate, async () => {
        const connected = gateOfConnected(gate);
        const outcome = await ask(opened, job, connected);
        connected.ended();
        return repeatable(outcome);
      }),
    examine: () => examine(opened),
    close: () => {
      void connections.close();
    },
  };
}
