import type { Request, Response } from 'express';
import * as z from 'zod';
import type { Caller, NeededScope } from './access.js';

export type Method = 'get' | 'post' | 'put' | 'patch' | 'delete';

/** One answer of an endpoint, as the API document describes it. */
export interface AnswerShape<S extends z.ZodType = z.ZodType> {
  readonly description: string;
  /** Media type; undefined where the answer has no body. */
  readonly type: string | undefined;
  /** Of a JSON answer. */
  readonly schema: S | undefined;
  readonly headers?: Readonly<Record<string, string>>;
}
export interface JsonAnswer<S extends z.ZodType> extends AnswerShape<S> {
  readonly schema: S;
}
export type Answers = Readonly<Record<number, AnswerShape>>;

/** An answer in JSON. */
export const json = <S extends z.ZodType>(description: string, schema: S): JsonAnswer<S> => ({
  description,
  type: 'application/json',
  schema,
});
/** An answer of another media type: text, bytes, a page. */
export const content = (description: string, type: string): AnswerShape<never> => ({ description, type, schema: undefined });
/** Server-sent events; the endpoint writes them itself. */
export const eventStream = (description: string): AnswerShape<never> => content(description, 'text/event-stream');
/** An answer without a body. */
export const empty = (description: string): AnswerShape<never> => ({ description, type: undefined, schema: undefined });

/** What a request carries. */
export type BodyShape<T, D> =
  /** `mostBytes`: less than the service takes elsewhere. */
  | { readonly kind: 'json'; readonly schema: z.ZodType<T>; readonly isOptional: boolean; readonly mostBytes?: number }
  /** Read as a whole. `types`: those that are accepted; any when empty. `limit` in bytes. */
  | { readonly kind: 'bytes'; readonly types: readonly string[]; readonly limit: (deps: D) => number }
  /** Not read: the endpoint takes the request's stream. */
  | { readonly kind: 'stream'; readonly types: readonly string[] };

export const jsonBody = <S extends z.ZodType>(schema: S): BodyShape<z.output<S>, unknown> => ({
  kind: 'json',
  schema: schema as z.ZodType<z.output<S>>,
  isOptional: false,
});
/** A JSON body of a request that anybody can make: it is small. */
export const smallJsonBody = <S extends z.ZodType>(schema: S, mostBytes: number): BodyShape<z.output<S>, unknown> => ({
  kind: 'json',
  schema: schema as z.ZodType<z.output<S>>,
  isOptional: false,
  mostBytes,
});
export const optionalJsonBody = <S extends z.ZodType>(schema: S): BodyShape<z.output<S>, unknown> => ({
  kind: 'json',
  schema: schema as z.ZodType<z.output<S>>,
  isOptional: true,
});
export const bytesBody = <D>(types: readonly string[], limit: (deps: D) => number): BodyShape<Buffer, D> => ({
  kind: 'bytes',
  types,
  limit,
});
export const streamBody = (types: readonly string[]): BodyShape<undefined, unknown> => ({ kind: 'stream', types });

/** A request that has passed all checks of its endpoint. */
export interface Call<P, Q, H, B> {
  readonly caller: Caller;
  readonly params: P;
  readonly query: Q;
  readonly headers: H;
  readonly body: B;
  /** Ends when the other side is gone. */
  readonly request: Request;
  /** For those that write their answer themselves. */
  readonly response: Response;
}

/** An answer with another status than the first, header fields, or a body that is not JSON. */
export class Reply<T = unknown> {
  constructor(
    readonly body: T,
    readonly more: { readonly status?: number; readonly headers?: Readonly<Record<string, string>> } = {},
  ) {}
}

type JsonOf<A extends Answers> = { [S in keyof A]: A[S] extends JsonAnswer<infer Z> ? z.input<Z> : never }[keyof A];
/** What `run` gives back: the JSON of an answer, a Reply, or nothing where the answer has no body or is written already. */
type Result<A extends Answers> = JsonOf<A> | Reply<JsonOf<A>> | Reply<string | Uint8Array> | undefined;

/**
 * One endpoint: the router, validation, access, the API document, the client's types and methods and the reference page follow from it.
 * @typeParam D what `run` works with
 */
export interface Endpoint<D> {
  /** "messages.send": the client's method, and the operation's id. */
  readonly name: string;
  readonly method: Method;
  /** "/v1/messages/{id}"; "{path*}" takes the rest of the path. */
  readonly path: string;
  readonly summary: string;
  readonly description?: string | undefined;
  /** What a caller must be able to do; `open` needs no key, and checks by itself who calls. */
  readonly scope: NeededScope | 'open';
  /** Whether it is about the service and not about a space. */
  readonly isForService: boolean;
  /** Whether it shows what emails say: not every viewer may see that. */
  readonly showsContent: boolean;
  readonly audited: Audited;
  /** Whether a standby answers it although it is no read. */
  readonly isForStandby: boolean;
  readonly params: z.ZodObject | undefined;
  readonly query: z.ZodObject | undefined;
  readonly headers: z.ZodObject | undefined;
  readonly body: BodyShape<unknown, D> | undefined;
  readonly answers: Answers;
  /** Refusals of its own, by status, beside those that every such endpoint may answer with. */
  readonly refusals: Readonly<Record<number, string>>;
  /** Whether the same request again does no harm: the client repeats it when no answer came. GET, PUT and DELETE are. */
  readonly isRepeatable: boolean;
  /** Faults that only show beside others: called where a body has unknown fields, with what is left without them. @throws Refusal */
  readonly check: ((call: Call<unknown, unknown, unknown, unknown>, deps: D) => void | Promise<void>) | undefined;
  readonly run: (call: Call<unknown, unknown, unknown, unknown>, deps: D) => unknown;
}

/**
 * What the audit log keeps of an endpoint's requests: those that changed something; the same except for keys, since what those make names
 * its key itself and there is much of it; those that read what emails say; nothing, because nothing changes.
 */
export type Audited = 'change' | 'people' | 'reading' | 'nothing';

interface EndpointOptions<D, P extends z.ZodObject, Q extends z.ZodObject, H extends z.ZodObject, B, A extends Answers> {
  readonly name: `${string}.${string}`;
  readonly method: Method;
  readonly path: string;
  readonly summary: string;
  readonly description?: string;
  readonly scope: NeededScope | 'open';
  readonly isForService?: boolean;
  readonly showsContent?: boolean;
  /** Usual: what changes something, and what shows content. */
  readonly audited?: Audited;
  readonly isForStandby?: boolean;
  readonly params?: P;
  readonly query?: Q;
  readonly headers?: H;
  readonly body?: BodyShape<B, D>;
  readonly answers: A;
  readonly refusals?: Readonly<Record<number, string>>;
  readonly isRepeatable?: boolean;
  readonly check?: (call: Call<z.output<P>, z.output<Q>, z.output<H>, B>, deps: D) => void | Promise<void>;
  readonly run: (call: Call<z.output<P>, z.output<Q>, z.output<H>, B>, deps: D) => Result<A> | Promise<Result<A>>;
}

/** Gives the function that defines the endpoints of a feature. @typeParam D what they work with */
export function endpointsOf<D>() {
  return <
    A extends Answers,
    P extends z.ZodObject = z.ZodObject<z.ZodRawShape>,
    Q extends z.ZodObject = z.ZodObject<z.ZodRawShape>,
    H extends z.ZodObject = z.ZodObject<z.ZodRawShape>,
    B = undefined,
  >(
    options: EndpointOptions<D, P, Q, H, B, A>,
  ): Endpoint<D> => {
    const { method, refusals = {}, isRepeatable = method !== 'post', isForService = false, showsContent = false, ...rest } = options;
    const usual = showsContent ? 'reading' : method === 'get' || options.scope === 'open' ? 'nothing' : 'change';
    // Where the parts of a request come from is known here only; the router hands over what the schemas made of them.
    return {
      params: undefined,
      query: undefined,
      headers: undefined,
      body: undefined,
      check: undefined,
      ...rest,
      method,
      isForService,
      showsContent,
      audited: options.audited ?? usual,
      isForStandby: options.isForStandby ?? false,
      refusals,
      isRepeatable,
    } as Endpoint<D>;
  };
}

/** Endpoints with what they work with. */
export interface ServedEndpoint {
  readonly endpoint: Endpoint<unknown>;
  readonly deps: unknown;
}

export function serve<D>(endpoints: readonly Endpoint<D>[], deps: D): ServedEndpoint[] {
  return endpoints.map((endpoint) => ({ endpoint: endpoint as Endpoint<unknown>, deps }));
}

/** The parameters in a path, in order. */
export function pathParameters(path: string): string[] {
  return [...path.matchAll(/\{(\w+)\*?\}/g)].map((match) => match[1] ?? '');
}

/** A path parameter that is a plain text. */
export const textParams = <N extends string>(...names: readonly N[]): z.ZodObject<Record<N, z.ZodString>> =>
  z.object(Object.fromEntries(names.map((name) => [name, z.string()])) as Record<N, z.ZodString>);
