import createFetchClient from 'openapi-fetch';
import { RefusedError, UnreachableError, type ProblemBody } from './errors.js';
import type { operations, paths } from './generated/api.js';
import { eventsOf, type StreamEvent } from './stream.js';

/** How an endpoint is called, as the build writes it down. */
export interface Route {
  readonly method: string;
  readonly path: string;
  readonly params: readonly string[];
  /** "json", or the media type of bytes. */
  readonly body?: string;
  readonly hasQuery: boolean;
  readonly hasIdempotencyKey: boolean;
  readonly answer: string;
  /** Whether the same request again does no harm. */
  readonly isRepeatable: boolean;
}

type Content<T> = T extends { content: { 'application/json': infer J } } ? J : never;
/** The body of an operation; what has a usual value may be left out. */
export type Body<O extends keyof operations> = Content<NonNullable<operations[O] extends { requestBody?: infer B } ? B : never>>;
export type Query<O extends keyof operations> = operations[O] extends { parameters: { query?: infer Q } } ? NonNullable<Q> : never;
type Good = 200 | 201 | 202;
/** The JSON that an operation answers with. */
export type Answer<O extends keyof operations> = operations[O] extends { responses: infer R }
  ? { [S in keyof R & Good]: Content<R[S]> }[keyof R & Good]
  : never;
export type Bytes = Blob | Uint8Array | string;

export interface CallOptions {
  /** Made by the client when left out, so that its own retries never do anything twice. */
  readonly idempotencyKey?: string | undefined;
  /** Ends the call, its repetitions included; it rejects with the reason of the signal. */
  readonly signal?: AbortSignal | undefined;
  /** Milliseconds until one try is given up; Infinity for never. As the client has it when left out. */
  readonly timeout?: number | undefined;
}

export interface FollowOptions {
  /** Ends it. */
  readonly signal?: AbortSignal | undefined;
  /** Goes on after this one; from now on when left out. */
  readonly lastId?: string | undefined;
  /** Is called when the stream has begun, and when it breaks; it reconnects automatically. */
  readonly onConnection?: ((isOpen: boolean) => void) | undefined;
}

export interface ClientOptions {
  /** Where the service is: http://127.0.0.1:8620 */
  readonly url: string;
  /** A key of a space, or the operator's secret; the console has neither, but a session. */
  readonly key?: string | undefined;
  /** The space, for those who are not bound to one by their key. */
  readonly space?: string | undefined;
  /** Tries of a request that is safe to repeat, the first one included (3). */
  readonly tries?: number;
  /** Milliseconds until one try is given up (30,000); Infinity for never. Not for streams and uploads. */
  readonly timeout?: number;
  readonly headers?: Readonly<Record<string, string>>;
  readonly fetch?: typeof fetch;
}

const WAIT_MS = 200;
const TIMEOUT_MS = 30_000;

interface Request {
  readonly params: Readonly<Record<string, string>>;
  readonly query: Readonly<Record<string, unknown>>;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: unknown;
  readonly signal: AbortSignal | undefined;
  readonly timeout?: number | undefined;
}

/** Calls endpoints: repeats what is safe to repeat, and makes errors of refusals. */
export function caller({ url, key, space, tries = 3, timeout: usual = TIMEOUT_MS, headers = {}, fetch: http = fetch }: ClientOptions) {
  const base = url.replace(/(?<!\/)\/+$/, '');
  const client = createFetchClient<paths>({
    baseUrl: base,
    // Looked up with each call: a page may put another in its place.
    fetch: (request) => http(request),
    headers: {
      accept: 'application/json',
      ...(key === undefined ? {} : { authorization: `Bearer ${key}` }),
      ...(space === undefined ? {} : { 'verbalis-space': space }),
      ...headers,
    },
    querySerializer: (query) => new URLSearchParams(given(query)).toString(),
    // The rest of a path is a parameter too: its slashes stay.
    pathSerializer: (path, params) =>
      path.replace(/\{(\w+)\}/g, (_, name: string) => String(params[name]).split('/').map(encodeURIComponent).join('/')),
  });

  /** How long one try may take: a call that the service holds on purpose takes as long as it was asked to. */
  function limitOf(route: Route, { query, timeout = usual }: Request): number {
    if (route.answer === 'stream' || (route.body !== undefined && route.body !== 'json')) return Infinity;
    const limit = Math.ceil(timeout + Number(query['seconds'] ?? 0) * 1000);
    // A timer cannot wait for longer.
    return limit > 0x7f_ff_ff_ff ? Infinity : limit;
  }

  /** One request, as often as it takes. @throws RefusedError, UnreachableError, the reason of the signal */
  async function send(route: Route, request: Request): Promise<Response> {
    const { params, query, headers: more, body, signal } = request;
    const limit = limitOf(route, request);
    const init = {
      params: { path: params, query },
      headers: { ...more, ...(route.body === undefined || route.body === 'json' ? {} : { 'content-type': typeOf(body, route.body) }) },
      ...(body === undefined ? {} : { body }),
      bodySerializer: (value: unknown) => (route.body === 'json' ? JSON.stringify(value) : value),
      parseAs: 'stream',
    };
    for (let made = 1; ; made += 1) {
      const isLast = !route.isRepeatable || made >= tries;
      signal?.throwIfAborted();
      // A timer of the signal alone would not keep the process alive, which is what is wanted.
      const late = Number.isFinite(limit) ? AbortSignal.timeout(limit) : undefined;
      const ends = [signal, late].filter((end) => end !== undefined);
      const response = await attempt(route, { ...init, signal: ends.length === 0 ? undefined : AbortSignal.any(ends) }).catch(
        (error: unknown) => {
          signal?.throwIfAborted();
          if (isLast) throw unreachable(base, error, late?.aborted === true ? limit : undefined);
          return undefined;
        },
      );
      if (response?.ok === true) return response;
      if (response === undefined || (!isLast && (response.status === 429 || response.status >= 502))) {
        await wait(made, { least: Number(response?.headers.get('retry-after') ?? 0) * 1000, signal });
        continue;
      }
      throw await refusal(response, base);
    }
  }

  /** The library leaves the body to us, so that a refusal can be read like an answer. */
  async function attempt({ method, path }: Route, init: Readonly<Record<string, unknown>>): Promise<Response> {
    const untyped = client as unknown as {
      request: (method: string, path: string, init: unknown) => Promise<{ response: Response; data?: ReadableStream; error?: unknown }>;
    };
    const { response, data, error } = await untyped.request(method, path, init);
    const body = data ?? (error === undefined ? null : typeof error === 'string' ? error : JSON.stringify(error));
    const { status, statusText, headers: fields } = response;
    return new Response(status === 204 || status === 304 ? null : body, { status, statusText, headers: fields });
  }

  /** Follows a stream and takes it up again when the connection breaks, from what was seen last. Ends when the signal does. */
  async function* follow(route: Route, request: Request, { signal, lastId, onConnection }: FollowOptions): AsyncGenerator<StreamEvent> {
    let seen = lastId;
    for (let failed = 1; !isAborted(signal); failed += 1) {
      try {
        const more = { accept: 'text/event-stream', ...(seen === undefined ? {} : { 'last-event-id': seen }) };
        const response = await send(route, { ...request, headers: { ...request.headers, ...more }, signal });
        onConnection?.(true);
        for await (const event of eventsOf(response)) {
          seen = event.id ?? seen;
          failed = 1;
          yield event;
        }
      } catch (error) {
        if (isAborted(signal)) return;
        onConnection?.(false);
        // What was refused is refused again; a connection that broke is not.
        if (error instanceof RefusedError || failed > tries) throw error;
      }
      await wait(Math.min(failed, 5), { signal }).catch(() => undefined);
    }
  }

  /** The method of an endpoint: its path parameters, then its body, its query, and options. */
  function method(route: Route): (...args: unknown[]) => unknown {
    return (...args) => {
      const params = Object.fromEntries(route.params.map((name) => [name, String(args.shift())]));
      const body = route.body === undefined ? undefined : args.shift();
      const query = route.hasQuery ? ((args.shift() ?? {}) as Readonly<Record<string, unknown>>) : {};
      const options = (args.shift() ?? {}) as CallOptions & FollowOptions;
      const { signal, timeout, idempotencyKey = route.hasIdempotencyKey ? crypto.randomUUID() : undefined } = options;
      const fields: Record<string, string> = idempotencyKey === undefined ? {} : { 'idempotency-key': idempotencyKey };
      const request = { params, body, query, signal, timeout, headers: fields };
      return route.answer === 'stream' ? follow(route, request, options) : read(route, send(route, request), base);
    };
  }

  /** Whether the service takes work, and what keeps it from that. Needs no key. @throws UnreachableError */
  async function readiness(): Promise<Readiness> {
    const late = AbortSignal.timeout(usual);
    let response: Response;
    try {
      response = await http(new Request(`${base}/health/ready`, { signal: late }));
    } catch (error) {
      throw unreachable(base, error, late.aborted ? usual : undefined);
    }
    const answer: unknown = await response.json().catch(() => undefined);
    if (typeof (answer as Partial<Readiness> | undefined)?.ready !== 'boolean') throw notVerbalis(base, response);
    return answer as Readiness;
  }

  return { method, readiness };
}

/** Whether a service takes work. */
export interface Readiness {
  readonly ready: boolean;
  /** What keeps it from that, in sentences. */
  readonly problems?: readonly string[];
}

/** A signal changes while it is waited for, which the compiler does not know. */
function isAborted(signal: AbortSignal | undefined): boolean {
  return signal?.aborted === true;
}

async function read({ answer }: Route, answered: Promise<Response>, base: string): Promise<unknown> {
  const response = await answered;
  const type = response.headers.get('content-type') ?? '';
  if (answer === 'json' && !/^application\/(?:[\w.-]+\+)?json\b/.test(type)) {
    await response.body?.cancel();
    throw notVerbalis(base, response);
  }
  switch (answer) {
    case 'json':
      return response.json();
    case 'text':
      return response.text();
    case 'bytes':
      return new Uint8Array(await response.arrayBuffer());
    default:
      await response.body?.cancel();
      return undefined;
  }
}

function given(query: Readonly<Record<string, unknown>>): [string, string][] {
  return Object.entries(query).flatMap(([name, value]): [string, string][] =>
    value === undefined || value === ''
      ? []
      : [[name, value instanceof Date ? value.toISOString() : String(value as string | number | boolean)]],
  );
}

function typeOf(body: unknown, usual: string): string {
  return body instanceof Blob && body.type !== '' ? body.type : usual;
}

function unreachable(base: string, error: unknown, limit: number | undefined): UnreachableError {
  if (limit !== undefined) return new UnreachableError(`No answer from ${base} within ${limit / 1000} s`, 'late');
  const inner = error instanceof Error && error.cause instanceof Error ? error.cause : error;
  const { code = '', message } = inner instanceof Error ? (inner as Error & { code?: string }) : { message: String(inner) };
  return new UnreachableError(`No answer from ${base}: ${FAULTS[code] ?? message}`);
}

async function refusal(response: Response, base: string): Promise<Error> {
  if (!(response.headers.get('content-type') ?? '').includes('application/problem+json')) return notVerbalis(base, response);
  return new RefusedError((await response.json()) as ProblemBody);
}

/** What a connection failed by, in words. */
const FAULTS: Readonly<Record<string, string>> = {
  ECONNREFUSED: 'nothing listens there',
  ECONNRESET: 'the connection was closed',
  UND_ERR_SOCKET: 'the connection was closed',
  ENOTFOUND: 'there is no host of this name',
  EAI_AGAIN: 'the name of the host cannot be looked up',
  ETIMEDOUT: 'the connection timed out',
  UND_ERR_CONNECT_TIMEOUT: 'the connection timed out',
  EHOSTUNREACH: 'the host cannot be reached',
  ENETUNREACH: 'the network cannot be reached',
  EPROTO: 'it does not speak TLS there; try http://',
  ERR_SSL_WRONG_VERSION_NUMBER: 'it does not speak TLS there; try http://',
};

/** Something else listens there: a proxy, an app, another service. */
function notVerbalis(base: string, { status, headers }: Response): UnreachableError {
  const type = headers.get('content-type')?.split(';')[0];
  return new UnreachableError(
    `${base} is not a Verbalis service, or a proxy in front of it answered: status ${status}${type === undefined ? '' : `, ${type}`}. Check the address.`,
    'not-verbalis',
  );
}

interface Waiting {
  readonly least?: number;
  readonly signal: AbortSignal | undefined;
}

/** Waits before another try, longer each time. Rejects with the reason of the signal. */
function wait(made: number, { least = 0, signal }: Waiting): Promise<void> {
  return new Promise((resolve, reject) => {
    const end = (): void => {
      clearTimeout(timer);
      reject(signal?.reason as Error);
    };
    const timer = setTimeout(
      () => {
        signal?.removeEventListener('abort', end);
        resolve();
      },
      Math.max(least, WAIT_MS * 2 ** (made - 1)),
    );
    if (isAborted(signal)) end();
    else signal?.addEventListener('abort', end, { once: true });
  });
}
