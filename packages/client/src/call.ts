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
  readonly signal?: AbortSignal | undefined;
}

export interface FollowOptions {
  /** Ends it. */
  readonly signal?: AbortSignal | undefined;
  /** Goes on after this one; from now on when left out. */
  readonly lastId?: string | undefined;
  /** Is called when the stream has begun, and when it breaks; it is taken up again by itself. */
  readonly onConnection?: ((isOpen: boolean) => void) | undefined;
}

export interface ClientOptions {
  /** Where the service is: http://127.0.0.1:8620 */
  readonly url: string;
  /** A key of a space, or the operator's secret; the console has neither, but a session. */
  readonly key?: string | undefined;
  /** The space, for those who are not bound to one by their key. */
  readonly space?: string | undefined;
  /** Tries of a request that is safe to repeat, the first one included. */
  readonly tries?: number;
  readonly headers?: Readonly<Record<string, string>>;
  readonly fetch?: typeof fetch;
}

const WAIT_MS = 200;

interface Request {
  readonly params: Readonly<Record<string, string>>;
  readonly query: Readonly<Record<string, unknown>>;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: unknown;
  readonly signal: AbortSignal | undefined;
}

/** Calls endpoints: repeats what is safe to repeat, and makes errors of refusals. */
export function caller({ url, key, space, tries = 3, headers = {}, fetch: http = fetch }: ClientOptions) {
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

  /** One request, as often as it takes. @throws RefusedError, UnreachableError */
  async function send(route: Route, { params, query, headers: more, body, signal }: Request): Promise<Response> {
    const init = {
      params: { path: params, query },
      headers: { ...more, ...(route.body === undefined || route.body === 'json' ? {} : { 'content-type': typeOf(body, route.body) }) },
      ...(body === undefined ? {} : { body }),
      bodySerializer: (value: unknown) => (route.body === 'json' ? JSON.stringify(value) : value),
      parseAs: 'stream',
      signal,
    };
    for (let made = 1; ; made += 1) {
      const isLast = !route.isRepeatable || made >= tries;
      const response = await attempt(route, init).catch((error: unknown) => {
        if (isLast || signal?.aborted === true) throw unreachable(base, error);
        return undefined;
      });
      if (response?.ok === true) return response;
      if (response === undefined || (!isLast && (response.status === 429 || response.status >= 502))) {
        await wait(made, Number(response?.headers.get('retry-after') ?? 0) * 1000);
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
      await wait(Math.min(failed, 5));
    }
  }

  /** The method of an endpoint: its path parameters, then its body, its query, and options. */
  function method(route: Route): (...args: unknown[]) => unknown {
    return (...args) => {
      const params = Object.fromEntries(route.params.map((name) => [name, String(args.shift())]));
      const body = route.body === undefined ? undefined : args.shift();
      const query = route.hasQuery ? ((args.shift() ?? {}) as Readonly<Record<string, unknown>>) : {};
      const options = (args.shift() ?? {}) as CallOptions & FollowOptions;
      const { signal, idempotencyKey = route.hasIdempotencyKey ? crypto.randomUUID() : undefined } = options;
      const fields: Record<string, string> = idempotencyKey === undefined ? {} : { 'idempotency-key': idempotencyKey };
      const request = { params, body, query, signal, headers: fields };
      return route.answer === 'stream' ? follow(route, request, options) : read(route, send(route, request));
    };
  }

  return { base, method };
}

/** A signal changes while it is waited for, which the compiler does not know. */
function isAborted(signal: AbortSignal | undefined): boolean {
  return signal?.aborted === true;
}

async function read({ answer }: Route, answered: Promise<Response>): Promise<unknown> {
  const response = await answered;
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

function unreachable(base: string, error: unknown): UnreachableError {
  const inner = error instanceof Error && error.cause instanceof Error ? error.cause : error;
  return new UnreachableError(`No answer from ${base}: ${inner instanceof Error ? inner.message : String(inner)}`);
}

async function refusal(response: Response, base: string): Promise<Error> {
  if (!(response.headers.get('content-type') ?? '').includes('application/problem+json'))
    return new UnreachableError(`${base} answered ${response.status}, but not as Verbalis does. Is it the right address?`);
  return new RefusedError((await response.json()) as ProblemBody);
}

function wait(made: number, least = 0): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, Math.max(least, WAIT_MS * 2 ** (made - 1))));
}
