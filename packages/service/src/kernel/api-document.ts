import { createDocument, type ZodOpenApiOperationObject, type ZodOpenApiResponseObject } from 'zod-openapi';
import * as z from 'zod';
import { pathParameters, type AnswerShape, type Endpoint, type ServedEndpoint } from './endpoint.js';
import { Problem } from './fields.js';

/** Refusals that many endpoints have, by status: the name of the response in the document, and what it says. */
const COMMON: Readonly<Record<number, readonly [name: string, description: string]>> = {
  400: ['BadRequest', 'The request cannot be read.'],
  401: ['Unauthorized', 'No key, or one that is not known.'],
  403: ['Forbidden', 'The key may not do that.'],
  404: ['NotFound', 'There is no such thing in this space.'],
  405: ['MethodNotAllowed', 'The address does not take this method; Allow names those that it takes.'],
  413: ['TooLarge', 'The body is too large.'],
  415: ['UnsupportedType', 'The body is of a media type that the address does not take.'],
  422: ['Invalid', 'The request has faults; "problems" lists all of them, each with its path.'],
  429: ['TooMany', 'Too many requests; Retry-After says when to try again.'],
  500: ['Internal', 'A fault of the service itself. Nothing was stored.'],
  503: ['Unavailable', 'The service cannot store anything at the moment. Nothing was stored.'],
};

const problemContent = { 'application/problem+json': { schema: Problem } };

/** The statuses that an endpoint may refuse with. */
function refusalsOf({ method, scope, path, query, body, refusals }: Endpoint<unknown>): number[] {
  const takesInput = query !== undefined || body !== undefined;
  const statuses = [
    ...(takesInput || scope !== 'open' ? [400] : []),
    ...(scope === 'open' ? [] : [401, 403, 404, 429]),
    ...(path.includes('{') ? [404] : []),
    ...(body === undefined ? [] : [413, 415]),
    ...(takesInput || scope !== 'open' ? [422] : []),
    500,
    ...(method === 'get' ? [] : [503]),
    ...Object.keys(refusals).map(Number),
  ];
  return [...new Set(statuses)].sort((a, b) => a - b);
}

function responseOf({ description, type, schema, headers }: AnswerShape): ZodOpenApiResponseObject {
  const fields = Object.entries(headers ?? {}).map(([name, text]) => [name, { description: text, schema: { type: 'string' as const } }]);
  return {
    description,
    ...(fields.length === 0 ? {} : { headers: Object.fromEntries(fields) as NonNullable<ZodOpenApiResponseObject['headers']> }),
    ...(type === undefined ? {} : { content: { [type]: { schema: schema ?? bytesSchema(type) } } }),
  };
}

function bytesSchema(type: string): z.ZodType | { type: 'string'; format?: 'binary' } {
  return /^text\/|\+json$|xml/.test(type) ? { type: 'string' } : { type: 'string', format: 'binary' };
}

function requestBodyOf({ body }: Endpoint<unknown>): ZodOpenApiOperationObject['requestBody'] {
  if (body === undefined) return undefined;
  if (body.kind === 'json') return { content: { 'application/json': { schema: body.schema } }, required: !body.isOptional };
  const types = body.types.length === 0 ? ['application/octet-stream'] : body.types;
  return { content: Object.fromEntries(types.map((type) => [type, { schema: bytesSchema(type) }])), required: true };
}

function operationOf(endpoint: Endpoint<unknown>): ZodOpenApiOperationObject {
  const { name, summary, description, scope, path, params, query, headers, answers, refusals, isRepeatable } = endpoint;
  const [tag = ''] = name.split('.');
  const names = pathParameters(path);
  const requestBody = requestBodyOf(endpoint);
  const answered = Object.entries(answers).map(([status, answer]): [string, ZodOpenApiResponseObject] => [status, responseOf(answer)]);
  const refused = refusalsOf(endpoint).map((status): [string, ZodOpenApiResponseObject] => [
    String(status),
    refusals[status] === undefined
      ? ({ $ref: `#/components/responses/${COMMON[status]?.[0] ?? 'BadRequest'}` } as unknown as ZodOpenApiResponseObject)
      : { description: refusals[status], content: problemContent },
  ]);
  const own = Object.fromEntries(names.map((param) => [param, params?.shape[param] ?? z.string()]));
  return {
    operationId: name,
    tags: [tag],
    summary,
    ...(description === undefined ? {} : { description }),
    ...(scope === 'open' ? { security: [] } : {}),
    'x-repeatable': isRepeatable,
    ...(scope === 'open' ? {} : { 'x-scope': scope, parameters: [{ $ref: '#/components/parameters/Space' }] }),
    requestParams: {
      ...(names.length === 0 ? {} : { path: z.object(own) }),
      ...(query === undefined ? {} : { query }),
      ...(headers === undefined ? {} : { header: headers }),
    },
    ...(requestBody === undefined ? {} : { requestBody }),
    responses: Object.fromEntries([...answered, ...refused]),
  };
}

/** A group of endpoints, as the document and the reference page show them. */
export interface ApiGroup {
  readonly name: string;
  readonly description: string;
}

export interface DocumentOptions {
  readonly version: string;
  readonly servers: readonly { readonly url: string; readonly description: string }[];
  readonly groups: readonly ApiGroup[];
}

/** The API as OpenAPI 3.1, made from the endpoints that serve it. */
export function apiDocument(
  endpoints: readonly ServedEndpoint['endpoint'][],
  { version, servers, groups }: DocumentOptions,
): Record<string, unknown> {
  const paths: Record<string, Record<string, unknown>> = {};
  for (const endpoint of endpoints) {
    const path = endpoint.path.replace('*}', '}');
    paths[path] = { ...paths[path], [endpoint.method]: operationOf(endpoint) };
  }
  const used = new Set(endpoints.flatMap((endpoint) => refusalsOf(endpoint).filter((status) => endpoint.refusals[status] === undefined)));
  const responses = [...used]
    .sort((a, b) => a - b)
    .map((status) => [COMMON[status]?.[0] ?? '', { description: `${status}: ${COMMON[status]?.[1] ?? ''}`, content: problemContent }]);
  return createDocument({
    openapi: '3.1.0',
    info: {
      title: 'Verbalis',
      version,
      description: 'Transactional email: write, try, send, track.',
      license: { name: 'MIT', identifier: 'MIT' },
    },
    servers: servers.map((server) => ({ ...server })),
    tags: groups.map((group) => ({ ...group })),
    security: [{ key: [] }],
    paths: paths,
    components: {
      securitySchemes: { key: { type: 'http', scheme: 'bearer', description: 'A key of a space, or the operator’s secret.' } },
      parameters: {
        Space: {
          name: 'Verbalis-Space',
          in: 'header',
          required: false,
          schema: { type: 'string' },
          description: 'The space, for the operator; a key belongs to one space. The query parameter "space" says the same.',
        },
      } as never,
      responses: Object.fromEntries(responses) as never,
    },
  }) as unknown as Record<string, unknown>;
}
