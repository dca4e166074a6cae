// Writes docs/reference/*.md from the code: blocks, formatters, CSS by client family, problem codes, causes, events, the API. With --check: fails when they are stale.
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { problemCodes } from './codes.mjs';
import { metrics, problemTypes } from './service-codes.mjs';
import { root } from './steps.mjs';

const core = (path) => import(join(root, `packages/core/dist/${path}.js`));
const [{ BLOCKS }, { FORMATS }, { CSS_FEATURES, FAMILY_WORDS }, { CAUSE_TABLE }, { fileSchemas }] = [
  await core('blocks/index'),
  await core('formats/index'),
  await core('check/clients'),
  await core('delivery/index'),
  await core('editing/index'),
];
const cell = (text) => String(text).replaceAll('|', '\\|').replaceAll('\n', ' ');
const table = (head, rows) =>
  `| ${head.join(' | ')} |\n|${head.map(() => '---').join('|')}|\n${rows.map((row) => `| ${row.map(cell).join(' | ')} |`).join('\n')}\n`;
const made = '<!-- Made by scripts/reference.mjs. Do not edit. -->\n\n';

const blocks = [...BLOCKS.values()].map(({ signature, summary, example }) => {
  const args = [...(signature.first ? [{ ...signature.first, name: '(first value)' }] : []), ...signature.args];
  const rows = args.map((one) => [`\`${one.name}\``, one.kind, one.required ? 'needed' : '', one.summary]);
  return `## ${signature.name}\n\n${summary}\n\n${rows.length > 0 ? `${table(['argument', 'kind', '', ''], rows)}\n` : ''}\`\`\`\n${example}\n\`\`\`\n`;
});
const formats = table(
  ['formatter', 'arguments', 'what it does', 'example'],
  [...FORMATS.values()].map((one) => [
    `\`${one.name}\``,
    one.args.map((arg) => (arg.optional ? `[${arg.name}]` : arg.name)).join(' '),
    one.summary,
    `${JSON.stringify(one.example.value)} → ${one.example.gives}`,
  ]),
);
const css = table(
  ['property', 'value', 'on', 'ignored by', 'seen there instead', 'what to do', 'looked at'],
  CSS_FEATURES.map((one) => [
    one.property === undefined ? 'any' : `\`${one.property.source}\``,
    one.value ? `\`${one.value.source}\`` : 'any',
    one.element ? `\`${one.element.source}\`` : 'any',
    one.families.map((family) => FAMILY_WORDS[family]).join('; '),
    one.instead,
    one.note ?? '',
    one.seen,
  ]),
);
const causes = table(
  ['cause', 'enhanced codes', 'suppresses', 'the sentence', 'what to do', 'what a server says'],
  CAUSE_TABLE.map((row) => [
    `\`${row.cause}\``,
    row.codes.map((code) => `x.${code}`).join(', '),
    row.suppresses,
    row.sentence,
    row.advice,
    `\`${row.example}\``,
  ]),
);

const problems = table(
  ['code', 'weight', 'what it says', 'hint'],
  problemCodes().map((one) => [
    `\`${one.code}\``,
    [...one.severities].join(', '),
    [...one.messages.keys()].join(' / '),
    [...new Set([...one.messages.values()].filter((hint) => hint !== ''))].join(' / '),
  ]),
);

const { EVENT_SCHEMAS } = await import('../packages/service/dist/features/events/data-schemas.js');
const { EVENT_KINDS, typeOf, schemaNameOf } = await import('../packages/core/dist/events/index.js');
const kindOf = (field) => field.enum?.map((one) => `\`${one}\``).join(' ') ?? field.type ?? '';
const eventTypes = table(
  ['type', 'data'],
  EVENT_KINDS.map((kind) => [`\`${typeOf(kind)}\``, `[${schemaNameOf(kind)}](#${schemaNameOf(kind)})`]),
);
const eventData = Object.entries(EVENT_SCHEMAS).map(([name, schema]) => {
  const rows = Object.entries(schema.properties).map(([field, one]) => [
    `\`${field}\``,
    kindOf(one),
    schema.required?.includes(field) ? 'always' : '',
    one.description ?? '',
  ]);
  return `## ${name}\n\n${schema.description}\n\n${table(['field', 'kind', '', ''], rows)}`;
});

// The API, from the endpoints that serve it.
const { openApiDocument } = await import('../packages/service/dist/app/endpoints.js');
const api = openApiDocument();
const schemaText = (schema) => {
  if (schema === undefined) return '';
  if (schema.$ref !== undefined) return `\`${schema.$ref.split('/').at(-1)}\``;
  if (schema.enum !== undefined) return schema.enum.map((value) => `\`${value}\``).join(' ');
  return schema.type === 'array' ? `list of ${schemaText(schema.items)}` : [schema.type].flat().join(' or ');
};
const bodyText = (content = {}) =>
  Object.entries(content)
    .map(([type, { schema }]) => (type === 'application/json' ? schemaText(schema) : `\`${type}\``))
    .join(', ');
const operations = Object.entries(api.paths).flatMap(([path, methods]) =>
  Object.entries(methods).map(([method, operation]) => ({ path, method, ...operation })),
);
const apiGroups = api.tags.map(({ name, description }) => {
  const own = operations.filter(({ tags }) => tags.includes(name));
  const parts = own.map((operation) => {
    const query = (operation.parameters ?? []).filter((parameter) => parameter.in === 'query');
    const rows = query.map((parameter) => [
      `\`${parameter.name}\``,
      schemaText(parameter.schema),
      parameter.required ? 'needed' : '',
      parameter.description ?? '',
    ]);
    // Refusals that every endpoint may answer with are listed once.
    const answers = Object.entries(operation.responses)
      .filter(([, { $ref }]) => $ref === undefined)
      .map(([status, { content, description }]) => [status, status < '300' ? bodyText(content) : '', description]);
    return [
      `### ${operation.operationId}\n`,
      `\`${operation.method.toUpperCase()} ${operation.path}\`: ${`${operation.summary}. ${operation.description ?? ''}`.trim()}\n`,
      `${operation['x-scope'] === undefined ? 'Needs no key.' : `Scope: \`${operation['x-scope']}\`.`}${operation.requestBody === undefined ? '' : ` Body: ${bodyText(operation.requestBody.content)}.`}\n`,
      ...(rows.length === 0 ? [] : [table(['query', 'kind', '', ''], rows)]),
      table(['status', 'body', ''], answers),
    ].join('\n');
  });
  return `## ${name}\n\n${description}\n\n${parts.join('\n')}`;
});
const apiSchemas = Object.entries(api.components.schemas)
  .filter(([, schema]) => schema.properties !== undefined)
  .map(([name, schema]) => {
    const rows = Object.entries(schema.properties).map(([field, one]) => [
      `\`${field}\``,
      schemaText(one),
      schema.required?.includes(field) ? 'always' : '',
      one.description ?? '',
    ]);
    return `### ${name}\n\n${table(['field', 'kind', '', ''], rows)}`;
  });

// The configuration, from the schema that validates it.
const { settingsSchema } = await import('../packages/service/dist/settings/index.js');
const configuration = settingsSchema();
const boundsText = ({ minimum, maximum, exclusiveMinimum, minLength }) =>
  [
    exclusiveMinimum === undefined ? '' : `above ${exclusiveMinimum}`,
    minimum === undefined || minimum <= Number.MIN_SAFE_INTEGER ? '' : `from ${minimum}`,
    maximum === undefined || maximum >= Number.MAX_SAFE_INTEGER ? '' : `to ${maximum}`,
    minLength === undefined || minLength < 2 ? '' : `at least ${minLength} characters`,
  ]
    .filter((text) => text !== '')
    .join(' ');
const valueText = (schema) => {
  const choices = schema.anyOf ?? schema.oneOf;
  if (choices !== undefined) return [...new Set(choices.map(valueText))].join(' or ');
  if (schema.const !== undefined) return `\`${schema.const}\``;
  if (schema.enum !== undefined) return schema.enum.map((value) => `\`${value}\``).join(' ');
  if (schema.type === 'array') return `list of ${schema.items === undefined ? 'anything' : valueText(schema.items)}`;
  if (schema.type === 'object') return 'settings';
  return [schema.type ?? 'anything', boundsText(schema)].filter((text) => text !== '').join(', ');
};
const usualText = (schema) => {
  const usual = schema.default;
  return usual === undefined || (typeof usual === 'object' && Object.keys(usual).length === 0) ? '' : `\`${JSON.stringify(usual)}\``;
};
/** Every setting below a path: those of records and lists too. */
const settingRows = (schema, path, isNeeded) => {
  const own = [[`\`${path}\``, valueText(schema), usualText(schema) || (isNeeded ? 'needed' : ''), schema.description ?? '']];
  return [...(schema.properties === undefined || schema.description !== undefined ? own : []), ...innerRows(schema, path)];
};
const innerRows = (schema, path) => {
  const kinds = (schema.oneOf ?? schema.anyOf ?? []).filter((choice) => choice.properties !== undefined);
  if (kinds.length > 0)
    return kinds.flatMap((choice) =>
      innerRows(choice, choice.properties.kind?.const === undefined ? path : `${path}(${choice.properties.kind.const})`),
    );
  if (schema.properties !== undefined)
    return Object.entries(schema.properties)
      .filter(([name, inner]) => !(name === 'kind' && inner.const !== undefined))
      .flatMap(([name, inner]) => settingRows(inner, `${path}.${name}`, schema.required?.includes(name) && inner.default === undefined));
  if (typeof schema.additionalProperties === 'object') return innerRows(schema.additionalProperties, `${path}.NAME`);
  return schema.items === undefined ? [] : innerRows(schema.items, `${path}[]`);
};
const SETTING_HEAD = ['setting', 'value', 'usual', ''];
const isScalar = (schema) => schema.properties === undefined && schema.additionalProperties === undefined;
const scalars = Object.entries(configuration.properties).filter(([, schema]) => isScalar(schema));
const sections = Object.entries(configuration.properties).flatMap(([name, schema]) => {
  if (isScalar(schema)) return [];
  if (name !== 'providers') return [`## ${name}\n\n${table(SETTING_HEAD, settingRows(schema, name, false))}`];
  return schema.additionalProperties.oneOf.map((choice) => {
    const kind = choice.properties.kind.const;
    return `## providers, kind ${kind}\n\n${table(SETTING_HEAD, [[`\`providers.NAME.kind\``, `\`${kind}\``, 'needed', ''], ...innerRows(choice, 'providers.NAME')])}`;
  });
});

const configurationParts = [
  `## Of the service\n\n${table(
    SETTING_HEAD,
    scalars.flatMap(([name, schema]) => settingRows(schema, name, false)),
  )}`,
  ...sections,
];

// The command line, from the commands themselves.
const { allCommands } = await import('../packages/cli/dist/main.js');
const COMMON = new Set(['--url', '--key', '--key-file', '--space', '--json', '--quiet', '--csv', '--limit', '--cursor', '--all', '--help']);
const PAGED = new Set(['--limit', '--cursor', '--all']);
const lower = (text) => text.replace(/^(?:write|try|send|track|set up): /, '');
const sentence = (text) => `${text.charAt(0).toUpperCase()}${text.slice(1)}.`;
function commandParts(command, path, level) {
  const options = command.options.filter(({ long, hidden }) => !hidden && !COMMON.has(long));
  const has = (names) => command.options.some(({ long }) => names.has(long));
  const also = [
    ...(has(PAGED) ? ['the options of lists'] : has(new Set(['--csv'])) ? ['`--csv`'] : []),
    ...(has(new Set(['--url'])) ? ['the options of the connection'] : []),
  ];
  let help = '';
  command.configureOutput({ writeOut: (text) => (help += text) });
  command.outputHelp();
  const examples = help.split('\nFor example\n')[1]?.trimEnd().replace(/^ {2}/gm, '');
  const isCalled = command.commands.length === 0 || command.options.length > 0;
  const parts = [`${'#'.repeat(level)} ${path}\n\n${sentence(lower(command.description()))}\n`];
  if (isCalled) {
    const usage = `verbalis ${path}${command.registeredArguments.map((one) => ` ${one.required ? `<${one.name()}${one.variadic ? '...' : ''}>` : `[${one.name()}${one.variadic ? '...' : ''}]`}`).join('')}${options.length > 0 ? ' [options]' : ''}`;
    parts.push(`Usage: \`${usage}\`${also.length === 0 ? '' : `, with ${also.join(' and ')}`}\n`);
    if (options.length > 0)
      parts.push(
        table(
          ['option', 'what it does', 'default'],
          options.map((one) => [
            `\`${one.flags}\``,
            `${one.description}${one.argChoices === undefined ? '' : `: ${one.argChoices.map((choice) => `\`${choice}\``).join(' ')}`}`,
            one.defaultValue === undefined ? (one.mandatory ? 'required' : '') : `\`${one.defaultValue}\``,
          ]),
        ),
      );
    if (examples !== undefined) parts.push(`\`\`\`\n${examples}\n\`\`\`\n`);
  }
  return [...parts, ...command.commands.flatMap((inner) => commandParts(inner, `${path} ${inner.name()}`, Math.min(level + 1, 4)))];
}
const cli = (await allCommands()).commands.filter((command) => command.name() !== 'help');
const cliHead = `Every command has \`--help\`, \`--json\` and \`--quiet\`.

## Connection

Commands that ask a service take \`--url\` (or \`VERBALIS_URL\`; default \`http://127.0.0.1:8620\`), \`--key\` (or \`VERBALIS_KEY\`), \`--key-file\` and, with the operator's secret (\`VERBALIS_OPERATOR_SECRET\`), \`--space\` (or \`VERBALIS_SPACE\`). A file \`.env\` in the current folder is read. Options override the environment.

## Lists

Lists print the newest items first, 50 at a time. \`--limit\` changes how many (at most 200), \`--cursor\` continues after a page, \`--all\` reads all pages. \`--csv\` prints RFC 4180 CSV with the fields of the API; nested fields are named \`outer.inner\`, inner lists are JSON.

## JSON output

\`--json\` prints one JSON document on standard output, also when the command fails:

| field | |
|---|---|
| \`ok\` | whether the exit status is 0 |
| \`status\` | the exit status |
| \`result\` | what the API returned; \`{ "text": … }\` where a command has only text; absent after an error |
| \`problem\` | why it failed: \`title\`, \`detail\`, \`hint\`, and \`problems\` with \`path\`, \`message\` and \`hint\` (RFC 9457) |

Commands that go on until they are interrupted (\`serve\`, \`capture\`, \`messages follow\`) and \`returns read\` print one such document per line. Remarks and progress go to standard error.

## Exit status

| status | meaning |
|---|---|
| 0 | done |
| 1 | the answer is no: a check failed, a delivery failed, nothing arrived |
| 2 | wrong usage or configuration |
| 3 | the service could not be reached |
| 4 | the service refused the request |
| 70 | an internal error of the command line or of the service |
`;
const cliPage = [cliHead, ...cli.flatMap((command) => commandParts(command, command.name(), 2))].join('\n');

// The client library, from its generated types.
const clientMethods = readFileSync(join(root, 'packages/client/src/generated/methods.ts'), 'utf8');
const clientGroups = [...clientMethods.matchAll(/^ {2}readonly (\w+): \{\n([\s\S]*?)^ {2}\};/gm)].map(([, group, inside]) => {
  const rows = [...inside.matchAll(/^ {4}\/\*\* (.*?) *\*\/\n {4}readonly (\w+): \((.*)\) => (.*);$/gm)].map(
    ([, text, name, given, answer]) => [
      `\`${name}(${given
        .replace(/: (?:string \| number|Body<[^>]*>|Query<[^>]*>|CallOptions|FollowOptions|Bytes)/g, '')
        .replaceAll('?', '')})\``,
      text,
      `\`${answer.replace(/Answer<'([^']*)'>/g, '…').replace(/^Promise<…>$/, `Promise<${group}.${name}>`)}\``,
    ],
  );
  return `## ${group}\n\n${table(
    ['method', 'what it does', 'result'],
    rows.map(([method, text, result]) => [method, text, result.includes('.') ? 'as in the API' : result]),
  )}`;
});

const problemTypePage = table(
  ['type', 'status', 'title', 'hint'],
  problemTypes().map(({ type, statuses, titles, hints }) => [
    `\`${type}\``,
    [...statuses].sort().join(', '),
    [...titles].join(' / '),
    [...hints].join(' / '),
  ]),
);
const metricPage = table(
  ['metric', 'kind', 'labels', 'what it counts'],
  metrics().map(({ name, kind, labels, help }) => [`\`${name}\``, kind, labels.map((label) => `\`${label}\``).join(' '), help]),
);

const files = {
  ...Object.fromEntries(fileSchemas().map(({ name, schema }) => [`${name}.schema.json`, `${JSON.stringify(schema, null, 2)}\n`])),
  'cli.md': `# Command line\n\n${made}${cliPage}`,
  'client.md': `# Client library\n\n${made}Every endpoint as a method: its path parameters, then its body, its query, and options (\`signal\`, \`timeout\`, \`idempotencyKey\`). Bodies, queries and results have the types of the [HTTP interface](api.md). [How to use it](../client.md).\n\n${clientGroups.join('\n')}`,
  'problem-types.md': `# Problem types\n\n${made}A refusal of the API is \`application/problem+json\` (RFC 9457). Its \`type\` is \`urn:verbalis:problem:\` and one of these. "…" stands for what differs from case to case.\n\n${problemTypePage}`,
  'metrics.md': `# Metrics\n\n${made}\`GET /metrics\` in the OpenMetrics format, at the address of the service or at \`metrics.port\`. Counters start at 0 with the process.\n\n${metricPage}`,
  'configuration.schema.json': `${JSON.stringify(configuration, null, 2)}\n`,
  'configuration.md': `# Configuration\n\n${made}Settings are in \`verbalis.yaml\`; an environment variable overrides the file: \`VERBALIS_LISTEN_PORT\` sets \`listen.port\`, \`VERBALIS_PROVIDERS_NORTH_RELAY_HOST\` sets \`providers.north-relay.host\`. \`verbalis config check\` finds what is wrong, \`verbalis config show\` shows each setting with where it came from, and \`verbalis reload\` applies changes. Editors that know \`# yaml-language-server: $schema=…\` complete and check it by [configuration.schema.json](configuration.schema.json); \`verbalis init --configuration\` writes both. NAME stands for names of your own, \`[]\` for the entries of a list, and \`(kind)\` for those of one kind.\n\n${configurationParts.join('\n')}`,
  'api.md': `# HTTP interface\n\n${made}\`GET /v1/openapi.json\` is the same as OpenAPI 3.1. A key is sent as \`Authorization: Bearer KEY\`; the operator names the space with \`Verbalis-Space\` or \`?space=\`. Refusals are \`application/problem+json\` (RFC 9457), with all faults of a request at once. A wrong method is a 405 with \`Allow\`. A single resource has an \`ETag\`; lists have \`nextCursor\`. \`Idempotency-Key\` is a string of RFC 9651, in double quotes or bare.\n\n${table(
    ['status', 'refusal of any endpoint'],
    Object.entries(api.components.responses).map(([name, { description }]) => [name, description]),
  )}\n${apiGroups.join('\n')}\n## Schemas\n\n${apiSchemas.join('\n')}`,
  'events.md': `# Events\n\n${made}Each is a CloudEvent 1.0: \`id\` (the same fact has the same for ever), \`source\` (\`urn:verbalis:space:NAME\`), \`type\`, \`subject\` and \`partitionkey\` (the delivery), \`time\`, \`dataschema\` (\`GET /v1/events/schemas/NAME\`), \`data\`.\n\n${eventTypes}\n\n${eventData.join('\n')}`,
  'blocks.md': `# Built-in blocks\n\n${made}Beside these: \`if\`, \`each\`, \`body\` (in layouts) and \`content\` (in blocks of one’s own).\n\n![All blocks](../screenshots/blocks.png)\n\n${blocks.join('\n')}`,
  'formatters.md': `# Formatters\n\n${made}${formats}`,
  'css.md': `# CSS that families of clients ignore\n\n${made}${css}`,
  'problems.md': `# Problems and suggestions\n\n${made}What \`verbalis check\` and a publication can say. An error stops a publication; a warning and advice do not. "…" stands for what differs from mail to mail. JSON output carries the code, so that a project can count or silence one.\n\n${problems}`,
  'causes.md': `# Causes\n\n${made}${causes}`,
};
mkdirSync(join(root, 'docs/reference'), { recursive: true });
for (const [name, text] of Object.entries(files)) {
  const file = join(root, 'docs/reference', name);
  if (!process.argv.includes('--check')) writeFileSync(file, text);
  else if (!existsSync(file) || readFileSync(file, 'utf8') !== text) {
    console.error(`docs/reference/${name} is not what the code says. Run: npm run reference`);
    process.exitCode = 1;
  }
}
