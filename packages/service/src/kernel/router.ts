import { createHash } from 'node:crypto';
import compression from 'compression';
import { Router, type Request, type RequestHandler, type Response } from 'express';
import * as z from 'zod';
import { NOBODY, requireContent, requireScope, type Access, type Caller } from './access.js';
import { audited, type AuditLog } from './audit-log.js';
import { Reply, type Call, type Endpoint, type ServedEndpoint } from './endpoint.js';
import { bytesReader, jsonBodyReader, type BodyReader } from './json-body.js';
import { plainAddress } from './networks.js';
import { faultsOf, refuseDeep } from './problem.js';
import { invalid, Refusal, type RequestProblem } from './refusal.js';
import { StoreUnavailable } from './unavailable.js';

export interface RouterOptions {
  readonly endpoints: readonly ServedEndpoint[];
  readonly access: Access;
  /** The largest JSON body, in bytes. */
  readonly bodyBytes: number;
  /** Where is kept who did what; nowhere where there are no records. */
  readonly audit?: AuditLog | undefined;
  /** Answers reads alone, as a standby does. */
  readonly standby?: Standby | undefined;
  /** See {@link inTimeOf}. */
  readonly doubtMs?: (() => number) | undefined;
  /** Comes before every endpoint that is found directly. */
  readonly guard?: RequestHandler | undefined;
}

/** Who else takes what this service does not. */
export interface Standby {
  /** Where the primary is reached, or what it is called; undefined where nobody knows. */
  readonly primary: () => string | undefined;
}

const RETRY_SECONDS = 5;

/** What a standby does not answer. */
export function refusedByStandby({ primary }: Standby, why = 'It answers reads alone.'): Refusal {
  const where = primary();
  return new Refusal(503, 'standby', 'This service is on standby', {
    detail: why,
    hint: where === undefined ? 'There is no primary at the moment; a standby takes over within seconds.' : `The primary is ${where}.`,
    retryAfterSeconds: RETRY_SECONDS,
  });
}

/** What changes something must be kept; a stream is fed by changes that only the primary hears of. */
function refuseOnStandby({ method, audited: kept, answers, isForStandby }: Endpoint<unknown>, standby: Standby): void {
  if (isForStandby) return;
  if (kept === 'reading')
    throw refusedByStandby(standby, 'Who reads what emails say is kept in the audit log, which only the primary can write.');
  const streams = Object.values(answers).some(({ type }) => type === 'text/event-stream');
  if (method !== 'get' || streams) throw refusedByStandby(standby, streams ? 'Streams come from the primary.' : undefined);
}

/** How long a request waits for changes of which nobody knows whether they are stored, and how often that is looked at. In milliseconds. */
const [DOUBT_MS, LOOK_MS] = [8000, 500];

/**
 * Gives up waiting for requests while it is in doubt whether anything is stored: no success is reported, and what is repeated with the same
 * idempotency key is done once.
 * @param doubtMs for how long it has been in doubt, in milliseconds
 */
function inTimeOf(doubtMs: () => number): <T>(work: Promise<T>) => Promise<T> {
  const waiting = new Set<(error: unknown) => void>();
  const timer = setInterval(() => {
    if (waiting.size === 0 || doubtMs() < DOUBT_MS) return;
    for (const giveUp of [...waiting]) giveUp(new StoreUnavailable('The brokers of the cluster do not confirm what is written.'));
  }, LOOK_MS);
  timer.unref();
  return (work) =>
    new Promise((resolve, reject) => {
      waiting.add(reject);
      work.then(resolve, reject).finally(() => waiting.delete(reject));
    });
}

/** Smaller answers are not compressed, in bytes. */
const COMPRESSED_FROM = 8192;
const UNKNOWN: Caller = { space: '', scopes: new Set(), operator: false, actor: NOBODY, readsContent: false };
/** Says for which space an operator asks; every endpoint knows it (the header field Verbalis-Space says the same). */
const SPACE = 'space';

/** Static parts of a path go before parameters, so that "/batch" is never matched as an id. */
function bySpecificity(a: string, b: string): number {
  const parts = [a.split('/'), b.split('/')] as const;
  for (const [i, part] of parts[0].entries()) {
    const other = parts[1][i];
    if (other === undefined) return 1;
    if (part.startsWith('{') !== other.startsWith('{')) return part.startsWith('{') ? 1 : -1;
    if (part !== other) return part < other ? -1 : 1;
  }
  return parts[0].length - parts[1].length;
}

function expressPath(path: string): string {
  return path.replace(/\{(\w+)\*\}/g, '{*$1}').replace(/\{(\w+)\}/g, ':$1');
}

/** Every endpoint, and for what no endpoint answers: 405 with the methods that a path has. */
export interface EndpointRoutes {
  /**
   * Endpoints whose path has no parameters, found at once. It goes first: whatever else is asked on the way to an endpoint is asked of every
   * request, and the routes of some hundred endpoints are tried in turn.
   */
  readonly direct: RequestHandler;
  /** All of them. */
  readonly router: Router;
}

type Handle = (request: Request, response: Response) => Promise<void>;

export function endpointRoutes(options: RouterOptions): EndpointRoutes {
  const router = Router();
  const { guard, doubtMs } = options;
  const inTime = doubtMs === undefined ? undefined : inTimeOf(doubtMs);
  router.use(compression({ threshold: COMPRESSED_FROM, filter: isCompressed }));
  const direct = new Map<string, Handle>();
  const paths = new Map<string, ServedEndpoint[]>();
  for (const served of options.endpoints) paths.set(served.endpoint.path, [...(paths.get(served.endpoint.path) ?? []), served]);
  for (const [path, all] of [...paths].sort(([a], [b]) => bySpecificity(a, b))) {
    const route = router.route(expressPath(path));
    for (const served of all) {
      const { method } = served.endpoint;
      const handle = handlerOf(served, { ...options, inTime });
      route[method](handle);
      // What is read may be compressed, so it takes the other way.
      if (method !== 'get' && !path.includes('{')) direct.set(`${method.toUpperCase()} ${path}`, handle);
    }
    const allowed = all.flatMap(({ endpoint: { method } }) => (method === 'get' ? ['GET', 'HEAD'] : [method.toUpperCase()])).sort();
    route.all((request, response) => {
      response.setHeader('Allow', allowed.join(', '));
      throw new Refusal(405, 'method-not-allowed', 'This address does not take that method', {
        detail: `${request.method} is not possible here.`,
        hint: `Possible: ${allowed.join(', ')}.`,
      });
    });
  }
  return {
    router,
    direct: (request, response, next) => {
      const handle = direct.get(`${request.method} ${request.path}`);
      const run = (): void => {
        handle?.(request, response).catch(next);
      };
      if (handle === undefined) next();
      else if (guard === undefined) run();
      else
        void guard(request, response, (error?: unknown) => {
          if (error === undefined) run();
          else next(error);
        });
    },
  };
}

/** Lists and tables; a stream must reach the other side piece by piece, and bytes of emails are sent as they are. */
function isCompressed(request: Request, response: Response): boolean {
  const type = String(response.getHeader('content-type') ?? '');
  return request.method === 'GET' && /^(?:application\/(?:[\w.-]+\+)?json|text\/csv)/.test(type);
}

type Handling = RouterOptions & { readonly inTime: ReturnType<typeof inTimeOf> | undefined };

const HEADERS = { 'Cache-Control': 'no-store', 'X-Content-Type-Options': 'nosniff' } as const;

function setHeaders(response: Response): void {
  for (const [name, value] of Object.entries(HEADERS)) response.setHeader(name, value);
}

function handlerOf({ endpoint, deps }: ServedEndpoint, { access, bodyBytes, audit, standby, inTime }: Handling): Handle {
  const read = bodyReader(endpoint, deps, bodyBytes);
  const handle: Handle = async (request, response) => {
    const caller = endpoint.scope === 'open' ? UNKNOWN : access(request, endpoint);
    if (endpoint.scope !== 'open') requireScope(caller, endpoint.scope);
    if (endpoint.showsContent) requireContent(caller);
    if (standby !== undefined) refuseOnStandby(endpoint, standby);
    if (endpoint.method === 'get') setHeaders(response);
    refuseType(endpoint, request);
    await read?.(request, response);
    const call = await readCall(endpoint, deps, { request, response, caller });
    const address = plainAddress(request.ip ?? '');
    const work = audited(audit, { endpoint, address }, call, () => endpoint.run(call, deps));
    const result = await (inTime === undefined || endpoint.method === 'get' ? work : inTime(work));
    sendResult(endpoint, call, result);
  };
  return async (request, response) => {
    try {
      await handle(request, response);
    } catch (error) {
      if (!response.headersSent) setHeaders(response);
      throw error;
    }
  };
}

function bodyReader({ body }: Endpoint<unknown>, deps: unknown, bodyBytes: number): BodyReader | undefined {
  switch (body?.kind) {
    case 'json': {
      const read = jsonBodyReader(Math.min(bodyBytes, body.mostBytes ?? Infinity));
      return async (request, response) => {
        await read(request, response);
        refuseDeep(request.body);
      };
    }
    case 'bytes':
      return bytesReader(body.limit(deps));
    case 'stream':
    case undefined:
      return undefined;
  }
}

function hasBody(request: Request): boolean {
  const { 'content-length': length, 'transfer-encoding': encoding } = request.headers;
  return encoding !== undefined || (length !== undefined && length !== '0');
}

/** @throws Refusal 415 when a body is of a type that the endpoint does not take */
function refuseType({ body }: Endpoint<unknown>, request: Request): void {
  if (body === undefined || !hasBody(request)) return;
  const types = body.kind === 'json' ? ['application/json'] : body.types;
  const given = request.headers['content-type']?.split(';')[0]?.trim().toLowerCase() ?? '';
  const isJson = body.kind === 'json' && /^application\/[\w.-]+\+json$/.test(given);
  if (types.length === 0 || types.includes(given) || isJson) return;
  throw new Refusal(415, 'unsupported-type', 'This address does not take that media type', {
    detail: given === '' ? 'The request has no Content-Type.' : `The body is ${given}.`,
    hint: `Send ${types.join(' or ')}.`,
  });
}

interface Parts {
  readonly request: Request;
  readonly response: Response;
  readonly caller: Caller;
}

const NO_QUERY = z.strictObject({});

/** Reads all parts of a request by their schemas. @throws Refusal that names every fault of all parts */
async function readCall(endpoint: Endpoint<unknown>, deps: unknown, parts: Parts): Promise<Call<unknown, unknown, unknown, unknown>> {
  const { request } = parts;
  const problems: RequestProblem[] = [];
  const read = (schema: z.ZodType | undefined, input: unknown): unknown => {
    if (schema === undefined) return input;
    const parsed = schema.safeParse(input);
    if (parsed.success) return parsed.data;
    problems.push(...faultsOf(parsed.error, schema));
    return undefined;
  };
  const params = read(endpoint.params, joined(request.params));
  const rest = Object.fromEntries(Object.entries(request.query).filter(([name]) => name !== SPACE));
  const query = read(endpoint.query ?? (endpoint.scope === 'open' ? undefined : NO_QUERY), rest);
  if (problems.some(({ path }) => path === 'cursor'))
    throw new Refusal(400, 'broken-cursor', 'This cursor is not one of ours', {
      hint: 'Use nextCursor of the page before unchanged, with the same filter; leave it out for the first page.',
    });
  const headers = read(endpoint.headers, request.headers);
  const beside = problems.length;
  const body = readBody(endpoint, request, problems);
  const call = { ...parts, params, query, headers, body };
  if (problems.length > beside && beside === 0) problems.push(...(await hiddenFaults(endpoint, deps, call)));
  if (problems.length > 0) throw invalid(problems);
  return call;
}

/** The rest of a path comes as a list. */
function joined(params: Readonly<Record<string, unknown>>): Record<string, unknown> {
  return Object.fromEntries(Object.entries(params).map(([name, value]) => [name, Array.isArray(value) ? value.join('/') : value]));
}

function readBody({ body }: Endpoint<unknown>, request: Request, problems: RequestProblem[]): unknown {
  const given = request.body as unknown;
  if (body === undefined || body.kind === 'stream') return undefined;
  if (body.kind === 'bytes') return Buffer.isBuffer(given) ? given : Buffer.alloc(0);
  const parsed = body.schema.safeParse(given ?? {});
  if (parsed.success) return parsed.data;
  problems.push(...faultsOf(parsed.error, body.schema));
  return undefined;
}

/** Where all that is wrong with a body are fields that are not known: what else is wrong with the rest of it. */
async function hiddenFaults(
  endpoint: Endpoint<unknown>,
  deps: unknown,
  call: Call<unknown, unknown, unknown, unknown>,
): Promise<readonly RequestProblem[]> {
  const { body, check } = endpoint;
  if (body?.kind !== 'json' || check === undefined) return [];
  const rest = withoutUnknown(body.schema, call.request.body);
  if (rest === undefined) return [];
  try {
    await check({ ...call, body: rest }, deps);
    return [];
  } catch (error) {
    if (error instanceof Refusal) return error.more.problems ?? [];
    throw error;
  }
}

function withoutUnknown(schema: z.ZodType, input: unknown): unknown {
  const copy: unknown = structuredClone(input);
  const parsed = schema.safeParse(copy);
  for (const issue of parsed.error?.issues ?? []) {
    if (issue.code !== 'unrecognized_keys') return undefined;
    let at = copy as Record<PropertyKey, unknown>;
    for (const step of issue.path) at = at[step] as Record<PropertyKey, unknown>;
    for (const key of issue.keys) Reflect.deleteProperty(at, key);
  }
  const again = schema.safeParse(copy);
  return again.success ? again.data : undefined;
}

function sendResult(endpoint: Endpoint<unknown>, { request, response }: Call<unknown, unknown, unknown, unknown>, result: unknown): void {
  const [first = 200] = Object.keys(endpoint.answers).map(Number);
  if (result === undefined) {
    // Written by the endpoint itself, or without a body.
    if (response.headersSent || response.writableEnded || endpoint.answers[first]?.type !== undefined) return;
    setHeaders(response);
    response.status(first).end();
    return;
  }
  const { body, more } = result instanceof Reply ? (result as Reply) : new Reply(result);
  const status = more.status ?? first;
  const type = endpoint.answers[status]?.type;
  if (more.headers !== undefined) response.set(more.headers);
  if (typeof body === 'string' || body instanceof Uint8Array) {
    setHeaders(response);
    if (type !== undefined && !response.hasHeader('Content-Type'))
      response.setHeader('Content-Type', type.startsWith('text/') ? `${type}; charset=utf-8` : type);
    response.status(status).send(typeof body === 'string' ? body : Buffer.from(body.buffer, body.byteOffset, body.byteLength));
    return;
  }
  const text = JSON.stringify(body);
  if (endpoint.method !== 'get') {
    const bytes = Buffer.from(text);
    response.writeHead(status, { ...HEADERS, 'Content-Type': 'application/json; charset=utf-8', 'Content-Length': bytes.length });
    response.end(bytes);
    return;
  }
  // One resource has a version that the other side may hold (RFC 9110, section 13); a list changes with every request.
  if (endpoint.path.endsWith('}') && status === 200) {
    const tag = `"${createHash('sha256').update(text).digest('base64url').slice(0, 22)}"`;
    response.set({ ETag: tag, 'Cache-Control': 'private, no-cache' });
    if (matches(request.headers['if-none-match'], tag)) {
      response.status(304).end();
      return;
    }
  }
  response.status(status).type('application/json').send(text);
}

/** If-None-Match compares weakly (RFC 9110, section 13.1.2). */
function matches(header: string | undefined, tag: string): boolean {
  if (header === undefined) return false;
  return header.split(',').some((text) => text.trim() === '*' || text.trim().replace(/^W\//, '') === tag);
}
