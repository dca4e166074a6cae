// Writes the client's types and methods from the endpoints of the service. Part of the build; nothing that it writes is committed.
import { mkdirSync, readFileSync, existsSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import openapiTS, { astToString } from 'openapi-typescript';
import { root } from './steps.mjs';

const { openApiDocument } = await import('../packages/service/dist/app/endpoints.js');
const document = openApiDocument();
const HEAD = '// Written by scripts/client.mjs from the endpoints of the service. Do not edit.\n\n';
const METHODS = ['get', 'post', 'put', 'patch', 'delete'];
const followed = (name) => (/^[a-z]\w*$/i.test(name) ? name : `'${name}'`);

function routeOf(path, method, operation) {
  const params = [...path.matchAll(/\{(\w+)\}/g)].map((match) => match[1]);
  const bodyTypes = Object.keys(operation.requestBody?.content ?? {});
  const answers = Object.entries(operation.responses).filter(([status]) => status.startsWith('2'));
  const type = Object.keys(answers[0]?.[1].content ?? {})[0];
  const answer =
    type === undefined
      ? 'nothing'
      : type === 'application/json'
        ? 'json'
        : type === 'text/event-stream'
          ? 'stream'
          : type.startsWith('text/')
            ? 'text'
            : 'bytes';
  return {
    method,
    path,
    params,
    body: bodyTypes.length === 0 ? undefined : bodyTypes[0] === 'application/json' ? 'json' : bodyTypes[0],
    isBodyOptional: operation.requestBody?.required === false,
    hasQuery: (operation.parameters ?? []).some((parameter) => parameter.in === 'query'),
    isQueryRequired: (operation.parameters ?? []).some((parameter) => parameter.in === 'query' && parameter.required === true),
    hasIdempotencyKey: (operation.parameters ?? []).some((parameter) => parameter.name === 'idempotency-key'),
    answer,
    isRepeatable: operation['x-repeatable'],
    operation,
  };
}

const routes = Object.entries(document.paths).flatMap(([path, methods]) =>
  METHODS.filter((method) => methods[method] !== undefined).map((method) => [
    methods[method].operationId,
    routeOf(path, method, methods[method]),
  ]),
);
const groups = Map.groupBy?.(routes, ([id]) => id.split('.')[0]) ?? groupBy(routes);
function groupBy(all) {
  const grouped = new Map();
  for (const entry of all) {
    const group = entry[0].split('.')[0];
    grouped.set(group, [...(grouped.get(group) ?? []), entry]);
  }
  return grouped;
}

function signature(id, { params, body, isBodyOptional, hasQuery, isQueryRequired, answer }) {
  const given = params.map((name) => `${name}: string | number`);
  if (body !== undefined) given.push(`body${isBodyOptional ? '?' : ''}: ${body === 'json' ? `Body<'${id}'>` : 'Bytes'}`);
  if (hasQuery) given.push(`query${isQueryRequired ? '' : '?'}: Query<'${id}'>`);
  given.push(`options?: ${answer === 'stream' ? 'FollowOptions' : 'CallOptions'}`);
  const result = {
    json: `Promise<Answer<'${id}'>>`,
    nothing: 'Promise<void>',
    text: 'Promise<string>',
    bytes: 'Promise<Uint8Array>',
    stream: 'AsyncGenerator<StreamEvent>',
  }[answer];
  return `(${given.join(', ')}) => ${result}`;
}

const methods = [
  HEAD,
  "import type { Answer, Body, Bytes, CallOptions, FollowOptions, Query, Route } from '../call.js';\n",
  "import type { StreamEvent } from '../stream.js';\n\n",
  '/** Every endpoint as a method: its path parameters, then its body, its query, and options. */\nexport interface Methods {\n',
  ...[...groups].map(
    ([group, all]) =>
      `  readonly ${followed(group)}: {\n${all
        .map(
          ([id, route]) =>
            `    /** ${route.operation.summary.replace(/\.$/, '')}. ${route.operation.description ?? ''} */\n    readonly ${followed(id.split('.')[1])}: ${signature(id, route)};\n`,
        )
        .join('')}  };\n`,
  ),
  '}\n\nexport const ROUTES: Readonly<Record<string, Route>> = {\n',
  ...routes.map(
    ([id, { operation: _operation, isBodyOptional: _optional, isQueryRequired: _required, ...route }]) =>
      `  '${id}': ${JSON.stringify(route)},\n`,
  ),
  '};\n',
].join('');

const files = {
  'openapi.json': `${JSON.stringify(document, null, 2)}\n`,
  'src/generated/api.ts': `${HEAD}${astToString(await openapiTS(structuredClone(document), { defaultNonNullable: false }))}`,
  'src/generated/methods.ts': methods,
};
mkdirSync(join(root, 'packages/client/src/generated'), { recursive: true });
for (const [name, text] of Object.entries(files)) {
  const file = join(root, 'packages/client', name);
  // What has not changed is not written, so that nothing is built again for it.
  if (!existsSync(file) || readFileSync(file, 'utf8') !== text) writeFileSync(file, text);
}
