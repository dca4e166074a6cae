// Mail folders, made up: a schema, a template over its fields, and data that fits. Everything is built from plain trees and numbers, so that
// what goes wrong shrinks to its smallest form.
import fc from 'fast-check';

const FORMATS = {
  date: ['2026-06-04', '2026-12-31', '0001-01-01'],
  'date-time': ['2026-06-04T08:15:00Z', '2026-06-30T23:59:60Z', '2026-01-01T00:00:00+13:45'],
  time: ['08:15:00Z', '23:59:59.5-03:30'],
  duration: ['PT90M', 'P2W', 'P1Y2M', 'PT0S'],
  currency: ['EUR', 'JPY', 'HUF', 'CLF'],
  phone: ['+3545551234', '+15555550100'],
  uri: ['https://data.example/x', 'https://data.example/a?b=c'],
  'uri-reference': ['/x/y', 'https://data.example/x'],
  color: ['#0f766e', 'red'],
  'time-zone': ['Europe/Lisbon', 'Asia/Kolkata', 'Pacific/Kiritimati'],
};
const WORDS = ['word', 'Ása', '<b>&"', '{{ x }}', 'a  b', '重要。', '..', '/x/../y', 'javascript:x', '| a', '- b', '::body', '*a*', '5e3'];
const NUMBERS = [0, 1, -1, 2, 0.5, 1e15, 1e21, -0.1, 1e300, 12345.678];
const INTEGERS = [0, 1, -1, 2, 3, 100, 1e15, 1e21];

// Every number as likely as any other: they choose among things, and small ones are nothing special.
const nat = fc.noBias(fc.nat({ max: 1_000_000 }));

/** A schema as a tree; see `jsonOf`. */
export const schemaTree = fc.letrec((tie) => ({
  any: fc.oneof(
    { maxDepth: 3, withCrossShrink: true },
    fc.record({
      k: fc.constant('text'),
      format: fc.option(fc.constantFrom('date', 'date-time', ...Object.keys(FORMATS)), { nil: undefined, freq: 3 }),
    }),
    fc.record({ k: fc.constant('number'), whole: fc.boolean(), minimum: fc.option(fc.constantFrom(0, 1), { nil: undefined }) }),
    fc.record({ k: fc.constant('truth') }),
    fc.record({
      k: fc.constant('values'),
      of: fc.constantFrom(['a', 'b'], ['EUR', 'JPY'], ['EUR', 'EURO'], [1, 2], [0, 'x'], ['a', null], ['2026-06-04']),
    }),
    fc.record({ k: fc.constant('nothing') }),
    fc.record({
      k: fc.constant('list'),
      of: tie('any'),
      least: fc.constantFrom(0, 0, 1),
      first: fc.option(tie('any'), { nil: undefined, freq: 6 }),
    }),
    tie('record'),
    fc.record({ k: fc.constant('either'), of: fc.array(tie('any'), { minLength: 1, maxLength: 2 }), all: fc.boolean() }),
    fc.record({ k: fc.constant('variants'), of: fc.array(tie('record'), { minLength: 1, maxLength: 2 }) }),
    fc.record({ k: fc.constant('maybe'), of: tie('any'), how: fc.constantFrom('type', 'nullable', 'anyOf') }),
    fc.record({ k: fc.constant('ref'), of: tie('any'), anchor: fc.boolean() }),
    fc.record({ k: fc.constant('map'), of: tie('any'), pattern: fc.boolean() }),
    fc.record({ k: fc.constant('when'), then: tie('record'), otherwise: tie('record') }),
  ),
  record: fc.record({
    k: fc.constant('record'),
    fields: fc.array(fc.record({ of: tie('any'), required: fc.constantFrom(true, true, false) }), { maxLength: 3 }),
    closed: fc.boolean(),
    typed: fc.constantFrom(true, true, true, true, true, true, true, false),
  }),
}));

const NAMES = ['a', 'b', 'c'];
const nameOf = (i) => NAMES[i] ?? `f${i}`;

/** The tree as JSON Schema; `defs` gathers what is referred to. */
export function jsonOf(tree, defs) {
  switch (tree.k) {
    case 'text':
      return { type: 'string', ...(tree.format === undefined ? { minLength: 1 } : { format: tree.format }) };
    case 'number':
      return { type: tree.whole ? 'integer' : 'number', ...(tree.minimum === undefined ? {} : { minimum: tree.minimum }) };
    case 'truth':
      return { type: 'boolean' };
    case 'values':
      return { enum: tree.of };
    case 'nothing':
      return {};
    case 'list':
      return {
        type: 'array',
        items: jsonOf(tree.of, defs),
        ...(tree.least > 0 ? { minItems: tree.least } : {}),
        ...(tree.first === undefined ? {} : { prefixItems: [jsonOf(tree.first, defs)] }),
      };
    case 'record':
      return recordJson(tree, defs, {});
    case 'either':
      return { [tree.all ? 'oneOf' : 'anyOf']: tree.of.map((one) => jsonOf(one, defs)) };
    case 'variants':
      return { type: 'object', oneOf: tree.of.map((one, i) => recordJson(one, defs, { kind: { const: `k${i}` } })) };
    case 'maybe': {
      const of = jsonOf(tree.of, defs);
      if (tree.how === 'nullable' && typeof of.type === 'string') return { ...of, nullable: true };
      if (tree.how === 'type' && typeof of.type === 'string') return { ...of, type: [of.type, 'null'] };
      return { anyOf: [of, { type: 'null' }] };
    }
    case 'ref': {
      const name = `d${Object.keys(defs).length}`;
      defs[name] = {};
      defs[name] = { ...jsonOf(tree.of, defs), ...(tree.anchor ? { $anchor: name } : {}) };
      return { $ref: tree.anchor ? `#${name}` : `#/$defs/${name}` };
    }
    case 'map':
      return tree.pattern
        ? { type: 'object', patternProperties: { '^[a-z]+$': jsonOf(tree.of, defs) }, additionalProperties: false }
        : { type: 'object', additionalProperties: jsonOf(tree.of, defs) };
    case 'when':
      return {
        type: 'object',
        required: ['kind'],
        properties: { kind: { enum: ['k0', 'k1'] } },
        if: { properties: { kind: { const: 'k0' } } },
        then: recordJson({ ...tree.then, closed: false, typed: true }, defs, {}),
        else: recordJson({ ...tree.otherwise, closed: false, typed: true }, defs, {}),
      };
    default:
      throw new Error(tree.k);
  }
}

function recordJson(tree, defs, tag) {
  const properties = { ...tag };
  const required = Object.keys(tag);
  tree.fields.forEach(({ of, required: must }, i) => {
    properties[nameOf(i)] = jsonOf(of, defs);
    if (must) required.push(nameOf(i));
  });
  return { ...(tree.typed ? { type: 'object' } : {}), properties, required, ...(tree.closed ? { additionalProperties: false } : {}) };
}

/** Data for a tree. It need not fit: what does not is thrown away by the check of the data. */
export function dataOf(tree, next) {
  const one = (list) => list[next() % list.length];
  switch (tree.k) {
    case 'text':
      return one(tree.format === undefined ? WORDS : FORMATS[tree.format]);
    case 'number':
      return one(tree.whole ? INTEGERS : NUMBERS);
    case 'truth':
      return next() % 2 === 0;
    case 'values':
      return one(tree.of);
    case 'nothing':
      return one(['text', 0, true, null, { deep: { er: 1 } }, [1, { x: 2 }], []]);
    case 'list': {
      const count = Math.max(tree.least, next() % 3);
      return Array.from({ length: count }, (_, i) => dataOf(i === 0 && tree.first !== undefined ? tree.first : tree.of, next));
    }
    case 'record':
      return recordData(tree, next, {});
    case 'either':
      return dataOf(one(tree.of), next);
    case 'variants': {
      const i = next() % tree.of.length;
      return recordData(tree.of[i], next, { kind: `k${i}` });
    }
    case 'maybe':
      return next() % 3 === 0 ? null : dataOf(tree.of, next);
    case 'ref':
      return dataOf(tree.of, next);
    case 'map':
      return Object.fromEntries(Array.from({ length: next() % 3 }, (_, i) => [nameOf(i), dataOf(tree.of, next)]));
    case 'when': {
      const i = next() % 2;
      return recordData(i === 0 ? tree.then : tree.otherwise, next, { kind: `k${i}` });
    }
    default:
      throw new Error(tree.k);
  }
}

function recordData(tree, next, tag) {
  if (!tree.typed && next() % 4 === 0) return [5, 'no record', null][next() % 3];
  const out = { ...tag };
  tree.fields.forEach(({ of, required }, i) => {
    if (required || next() % 2 === 0) out[nameOf(i)] = dataOf(of, next);
  });
  // What an open schema does not forbid comes, and not as anybody would expect.
  if (!tree.closed && next() % 2 === 0) for (const name of NAMES) if (!(name in out)) out[name] = [{}, [], { a: 1 }, null, 'x'][next() % 5];
  return out;
}

/** Paths into a tree, as an author writes them, each with what is there. */
export function pathsOf(tree, path, depth = 0) {
  const here = [{ path, tree }];
  if (depth > 3) return here;
  const into = (inner, step) => pathsOf(inner, path === '' ? step.replace(/^\./, '') : path + step, depth + 1);
  switch (tree.k) {
    case 'record':
      return [...here, ...tree.fields.flatMap(({ of }, i) => into(of, `.${nameOf(i)}`))];
    case 'variants':
      return [
        ...here,
        ...into({ k: 'values', of: ['k0', 'k1'] }, '.kind'),
        ...tree.of.flatMap((one) => pathsOf(one, path, depth + 1).slice(1)),
      ];
    case 'when':
      return [
        ...here,
        ...into({ k: 'values', of: ['k0', 'k1'] }, '.kind'),
        ...[tree.then, tree.otherwise].flatMap((one) => pathsOf(one, path, depth + 1).slice(1)),
      ];
    case 'list':
      return path === '' ? here : [...here, ...into(tree.of, '[0]'), ...into(tree.of, '[1]')];
    case 'map':
      return path === '' ? here : [...here, ...into(tree.of, '.a'), ...into(tree.of, '["b"]')];
    case 'maybe':
    case 'ref':
      return [...here, ...pathsOf(tree.of, path, depth + 1).slice(1)];
    case 'either':
      return [...here, ...tree.of.flatMap((one) => pathsOf(one, path, depth + 1).slice(1))];
    default:
      return here;
  }
}

const pieceOf = (inner) => fc.record({ kind: nat, a: nat, b: nat, how: nat, guard: nat, inner });
const piece = pieceOf(fc.array(pieceOf(fc.array(pieceOf(fc.constant([])), { maxLength: 1 })), { maxLength: 2 }));

/** A list that a loop, or what makes lists of lists, can be tried on: chance alone makes too few. */
const entries = fc.oneof(
  schemaTree.record,
  fc.record({ k: fc.constant('text'), format: fc.constant(undefined) }),
  fc.record({ k: fc.constant('number'), whole: fc.boolean(), minimum: fc.constant(undefined) }),
);
const someList = fc.record({ k: fc.constant('list'), of: entries, least: fc.constantFrom(0, 0, 1), first: fc.constant(undefined) });

/** A record with a list as its last field. */
const withList = ({ list, fields, ...tree }) => ({ ...tree, fields: [...fields.slice(0, 2), { of: list, required: true }] });

export const wholeCase = fc.record({
  tree: fc.oneof(
    {
      weight: 8,
      arbitrary: fc
        .record({
          k: fc.constant('record'),
          fields: fc.array(fc.record({ of: schemaTree.any, required: fc.constantFrom(true, true, true, false) }), { maxLength: 2 }),
          list: someList,
          closed: fc.boolean(),
          typed: fc.constant(true),
        })
        .map(withList),
    },
    {
      weight: 8,
      arbitrary: fc.record({
        k: fc.constant('record'),
        fields: fc.array(fc.record({ of: schemaTree.any, required: fc.constantFrom(true, true, true, false) }), {
          minLength: 1,
          maxLength: 3,
        }),
        closed: fc.boolean(),
        typed: fc.constant(true),
      }),
    },
    { weight: 1, arbitrary: fc.record({ k: fc.constant('variants'), of: fc.array(schemaTree.record, { minLength: 1, maxLength: 2 }) }) },
    { weight: 1, arbitrary: schemaTree.any },
  ),
  templates: fc.array(
    fc.record({
      pieces: fc.oneof(
        { weight: 3, arbitrary: fc.tuple(piece) },
        { weight: 1, arbitrary: fc.array(piece, { minLength: 2, maxLength: 3 }) },
      ),
      styled: fc.boolean(),
      html: fc.constantFrom(false, false, true),
      own: fc.constantFrom(false, false, false, true),
    }),
    { minLength: 1, maxLength: 16 },
  ),
  choices: fc.array(fc.array(nat, { minLength: 4, maxLength: 16 }), { minLength: 5, maxLength: 5 }),
});

/** Numbers that go round. */
export function stream(list) {
  let at = 0;
  return () => list[at++ % list.length] + at;
}

const FORMATTERS = {
  text: ['', '', ' | upper', ' | capital', ' | shorten 4', ' | trim', ' | url', ' | lines', ' | count', ' | words 1', ' | initials'],
  date: [
    ' | date',
    ' | date "full"',
    ' | relative',
    ' | upper',
    ' | addMonths -40000 | date "GyMMMEd"',
    ' | addDays 40000 | weekday',
    ' | week',
    ' | range "9999-12-31"',
    ' | until "2026-06-04" | duration',
  ],
  'date-time': [
    ' | datetime',
    ' | date',
    ' | time',
    ' | relative',
    ' | time zone="Asia/Kolkata"',
    ' | datetime "EEEMMMdjmm" zone="America/St_Johns"',
    ' | addMonths 40000 | datetime',
    ' | addDays -40000 | until "2026-01-01T00:00:00Z" | duration',
    ' | range "2026-06-30T23:59:60Z" "medium" "Asia/Tokyo"',
  ],
  time: [' | time'],
  duration: [' | duration'],
  phone: [' | phone'],
  number: [
    '',
    ' | number 2',
    ' | percent',
    ' | unit "kilometer"',
    ' | duration',
    ' | money "EUR"',
    ' | round 1',
    ' | floor | money "EUR"',
    ' | ceil',
    ' | abs',
    ' | max 3 | min 2',
    ' | difference 7',
    ' | times 0.19 "up" | money "EUR"',
    ' | over 3',
    ' | split 3 | join',
    ' | round | money "JPY"',
  ],
  list: [
    ' | list',
    ' | join',
    ' | count',
    ' | list "or"',
    ' | sort | join',
    ' | sort order="descending" | list',
    ' | reverse | first 1 | join',
    ' | unique | last 2 | join',
    ' | slice 1 1 | join',
    ' | sum',
    ' | sum | round 2',
    ' | sort "a" | count',
    ' | where "a" | pick "a" | join',
    ' | where "a" = "k0" | count',
    ' | where "b" > 0 | count',
    ' | pick "a" | join',
    ' | pick "a.b" | sum',
    ' | group "kind" | count',
    ' | unique "a" | count',
    ' | sum "a"',
    ' | sum "a" same="b" | default 0',
  ],
};
const ANY_FORMATTER = Object.values(FORMATTERS).flat();

/** An expression over a path: mostly one that suits what is there. */
function valueOf({ path, tree }, how, guard, other) {
  const kind = tree.k === 'text' ? (tree.format ?? 'text') : tree.k;
  if (kind === 'list' && how % 4 !== 0) return `${path}${listFormatter(tree, Math.floor(how / 4))}`;
  const fitting = FORMATTERS[kind] ?? FORMATTERS.text;
  const formatter = how % 5 === 0 ? ANY_FORMATTER[how % ANY_FORMATTER.length] : fitting[how % fitting.length];
  const ways = [
    ...Array.from({ length: 5 }, () => path),
    ...Array.from({ length: 12 }, () => (kind === 'number' ? `(${path} ?? 1)` : `(${path} ?? "none")`)),
    `${path} + 1`,
    `${path} / ${other.path}`,
    `(${path} % 2 ?? 1)`,
    `${path} * ${other.path}`,
    `(${path} == ${other.path} ? "yes" : "no")`,
    `-${path}`,
    `${path}[${other.path}]`,
    `(${path} > ${other.path} ? ${path} : ${other.path})`,
  ];
  const base = ways[guard % ways.length];
  const text = `${base}${formatter}`;
  return guard % 7 === 1 ? `${text} | default "none"` : text;
}

const AROUND = [
  (value) => `(${value})`,
  (value) => `*(${value})*`,
  (value) => `**(${value})**`,
  (value) => `~~(${value})~~`,
  (value) => `# (${value})`,
  (value) => `> (${value})`,
  (value) => `- (${value})\n- x`,
  (value) => `1. x\n2. (${value})`,
  (value) => `| h | i |\n|---|--:|\n| x | (${value}) |`,
  (value) => `:::facts\n- Label: (${value})\n:::`,
  (value) => `:::ledger\n- Label | (${value})\n= Sum | (${value})\n:::`,
  (value) => `:::ledger\n::row label="(${value})"\n= Sum | (${value})\n:::\n\n:::facts\n::fact label="(${value})"\n:::`,
  (value) => `:::notice tone=info\n(${value})\n:::`,
  (value) => `:::quote by="(${value})"\nx\n:::`,
  (value) => `:::postal\n(${value})\nx\n:::`,
  (value) => `::passcode "(${value})"`,
  (value) => `:::raw html\n<p>(${value})</p>\n:::`,
  (value) => `:::raw html\n<p title="(${value})">x</p>\n:::`,
  (value) => `:::lanes\n:::lane\n(${value})\n:::\n:::lane\nx\n:::\n:::`,
];
const ADDRESSES = [
  (v) => `/x/${v}`,
  (v) => `/x?q=${v}`,
  (v) => `/x#${v}`,
  (v) => `https://fixed.example/${v}/y`,
  (v) => v,
  (v) => `https://${v}/`,
  (v) => `https://fixed.example${v}`,
  (v) => `mailto:${v}`,
  (v) => `${v}/y`,
];

/** An expression that shows whatever is there, and is accepted mostly. */
function shownOf(path, tree, depth = 0) {
  const inner = tree.k === 'maybe' || tree.k === 'ref' ? tree.of : tree;
  const maybe = tree.k === 'maybe' ? ' | default "none"' : '';
  switch (inner.k) {
    case 'truth':
      return `(${path} ? "yes" : "no")`;
    case 'list':
      return `${path} | count${maybe}`;
    case 'text':
      return `${path}${inner.format === 'date-time' ? ' | datetime' : ''}${maybe}`;
    case 'record': {
      const at = inner.fields.findIndex(({ required }) => required);
      return at === -1 || depth > 3 || maybe !== ''
        ? `(${path} ? "a" : "b")`
        : shownOf(`${path}.${nameOf(at)}`, inner.fields[at].of, depth + 1);
    }
    default:
      return `${path} ?? "none"`;
  }
}

/** Formatters that suit the entries of a list: over a field of its records, or over what they are. */
function listFormatter(tree, how) {
  const list = tree.k === 'maybe' ? tree.of : tree;
  const of = list.k === 'list' ? list.of : list;
  const fields = of.k === 'record' ? of.fields.map(({ of: field }, i) => [nameOf(i), field]) : [];
  const [name, field] = fields[how % Math.max(1, fields.length)] ?? [];
  if (name === undefined) return FORMATTERS.list[how % FORMATTERS.list.length];
  const isNumber = field.k === 'number';
  const value = isNumber ? 1 : '"k0"';
  const ways = [
    ` | sort "${name}" | count`,
    ` | sort "${name}" "descending" | pick "${name}" | count`,
    ` | where "${name}" | pick "${name}" | ${isNumber ? 'sum' : 'join'}`,
    ` | where "${name}" != ${value} | first 1 | count`,
    ` | where "${name}" <= ${value} | last 1 | count`,
    ` | group "${name}" | count`,
    ` | unique "${name}" | reverse | count`,
    ` | pick "${name}" | ${isNumber ? 'sum' : 'join'}`,
    ` | sum "${name}"`,
    ` | where "${name}" | sum "${name}"`,
    ` | sum "${name}" same="${name}" | default 0`,
    ` | slice 1 | count`,
  ];
  return ways[how % ways.length];
}

/** Kinds of pieces, and those that go through a list. */
const KINDS = 21;
const LISTED = new Set([4, 5, 6, 12, 13, 14, 15]);

/** What a piece is made of: two paths, a value over the first, and a list. */
function partsOf(one, paths) {
  // What can be shown is shown more often than what cannot.
  const scalars = paths.filter(({ tree }) => ['text', 'number', 'values', 'truth', 'maybe'].includes(tree.k));
  const lists = paths.filter(({ tree }) => tree.k === 'list' || (tree.k === 'maybe' && tree.of.k === 'list'));
  const pick = (list, n) => (list.length > 0 && n % 8 !== 0 ? list[n % list.length] : paths[n % paths.length]);
  const a = pick(LISTED.has(one.kind % KINDS) ? lists : scalars, one.a);
  const b = pick(scalars, one.b);
  const value = `{{ ${valueOf([4, 13, 14].includes(one.kind % KINDS) ? b : a, one.how, one.guard, b)} }}`;
  return { a, b, value, lists, list: pick(lists, one.a) };
}

function pieceText(one, paths, depth) {
  const { a, b, value, lists } = partsOf(one, paths);
  const inner = (more) => one.inner.map((next) => pieceText(next, more, depth + 1)).join('\n\n') || `(${value})`;
  const entry = (list) => shownOf(`e${depth}`, list.tree.k === 'list' ? list.tree.of : list.tree);
  const maps = paths.filter(({ tree }) => tree.k === 'map');
  const map = maps[one.b % Math.max(1, maps.length)] ?? { path: one.b % 9 === 0 ? 'mail' : a.path, tree: { of: { k: 'text' } } };
  // Without a list, most loops would only ever be refused.
  const kind = LISTED.has(one.kind % KINDS) && lists.length === 0 && one.how % 6 !== 0 ? 0 : one.kind % KINDS;
  switch (kind) {
    case 0:
    case 1:
    case 2:
      return AROUND[one.how % AROUND.length](value);
    case 3: {
      const test = [
        a.path,
        `not ${a.path}`,
        `${a.path} == ${b.path}`,
        `${a.path} > 0`,
        `${a.path} and ${b.path}`,
        `${a.path} != null`,
        `${a.path} == "a"`,
        `${a.path} == "k0"`,
      ][one.guard % 8];
      return `:::if ${test}\n${inner(paths)}\n:::else\n(${value})\n:::`;
    }
    case 4:
    case 5: {
      const of = a.tree.k === 'list' ? a.tree.of : a.tree.k === 'maybe' && a.tree.of.k === 'list' ? a.tree.of.of : a.tree;
      return `:::each e${depth} in ${a.path}\n${inner([...pathsOf(of, `e${depth}`), ...paths])}\n:::`;
    }
    case 6:
      return `:::ledger\n:::each e${depth} in ${a.path}\n- ({{ e${depth} }}) | (${value})\n:::\n= Sum | x\n:::`;
    case 7:
      return `Go [there](${ADDRESSES[one.how % ADDRESSES.length](value)}) now`;
    case 8:
      return `::action "Go (${value})" to="${ADDRESSES[one.how % ADDRESSES.length](`{{ ${b.path} }}`)}"`;
    case 9:
      return `::own in={{ ${a.path} }}`;
    case 12:
      return `{{ each e${depth} in ${a.path} }}({{ ${entry(a)} }}){{ between }}, {{ empty }}(${value}){{ end }}`;
    case 13: {
      const of = a.tree.k === 'list' ? a.tree.of : a.tree;
      return `:::each e${depth}, n${depth} in ${a.path}\n{{ n${depth}.number }}/{{ n${depth}.count }}{{ if n${depth}.last }}({{ ${entry(a)} }}){{ end }}\n\n${inner([...pathsOf(of, `e${depth}`), ...paths])}\n:::empty\n(${value})\n:::`;
    }
    case 14:
      return `::let l${depth} = ${a.path} | ${['reverse', 'sort', 'unique', 'first 2', 'where "a"', 'group "a"'][one.guard % 6]}\n({{ l${depth} | count }}) (${value})\n\n:::each g${depth} in l${depth}\n(${[`{{ ${entry(a).replaceAll(`e${depth}`, `g${depth}`)} }}`, `{{ g${depth}.key ?? "-" }}`, 'x', 'x'][one.how % 4]})\n:::`;
    case 15:
      return `- x\n:::each e${depth} in ${a.path}\n::let n${depth} = ${entry(a)}\n- ({{ n${depth} }}) {{# (${value.replaceAll(/[{}]/g, '')}) }}\n:::`;
    case 16:
      return `::let n${depth} = ${a.path}\n:::if n${depth}\n(${value.replace(a.path, `n${depth}`)})\n:::\n\n${inner([{ path: `n${depth}`, tree: a.tree }, ...paths])}`;
    case 17:
      return `:::each k${depth}, v${depth} in ${map.path}\n({{ k${depth} }}) ({{ ${shownOf(`v${depth}`, map.tree.of)} }})\n:::empty\n(x)\n:::`;
    case 19:
      return `:::notice tone={{ ${a.path} ${one.how % 2 === 0 ? '' : '!= null '}? "warning" : "good" }}\n(${value})\n:::`;
    case 20:
      return `:::box\n(${value})\n:::slot aside\n${inner(paths)}\n:::\n:::\n\n:::box\nx\n:::`;
    case 18:
      return `<!-- ${value} -->\n{{# (${value.replaceAll(/[{}]/g, '')})\n\n:::if x }}(${value})<!-- x --> y`;
    case 10:
      return one.how % 5 === 4
        ? `({{ say "s4" x=(${a.path}) l=${one.guard % 2 === 0 ? '"/fixed"' : b.path} }})`
        : `({{ say "s${one.how % 5}" x=(${a.path}) }})`;
    default:
      return `{{ if ${a.path} }}(${value}){{ else }}(x){{ end }}`;
  }
}

/** The same as HTML of one's own. */
function pieceHtml(one, paths, depth) {
  const { a, b, value, list } = partsOf(one, paths);
  const address = ADDRESSES[one.how % ADDRESSES.length](value);
  const inner = (more) => one.inner.map((next) => pieceHtml(next, more, depth + 1)).join('\n') || `<p>(${value})</p>`;
  const ways = [
    () => `<p>(${value})</p>`,
    () => `<h2>(${value})</h2><ul><li>(${value})</li></ul>`,
    () => `<img src="/a.png" alt="(${value})"><p>x</p>`,
    () => `<p><a href="${address}">there</a></p>`,
    () => `<p style="color:{{ ${a.path} }}">x</p>`,
    () =>
      `<table><tr><th>h</th><th>i</th></tr>\n:::each e${depth} in ${list.path}\n<tr><td>({{ e${depth} }})</td><td>(${value})</td></tr>\n:::\n</table>`,
    () => `<table>\n:::if ${b.path}\n<tr><td>(${value})</td><td>x</td></tr>\n:::else\n<tr><td>x</td><td>y</td></tr>\n:::\n</table>`,
    () => `:::each e${depth} in ${list.path}\n${inner([...pathsOf(list.tree.of ?? list.tree, `e${depth}`), ...paths])}\n:::`,
    () => `<p>{{ if ${a.path} }}(${value}){{ else }}(x){{ end }}</p>`,
    () =>
      `<p>{{ each e${depth} in ${list.path} }}<b>({{ ${shownOf(`e${depth}`, list.tree.of ?? list.tree)} }})</b>{{ between }}, {{ empty }}x{{ end }}</p>`,
    () => `::let n${depth} = ${a.path}\n<p>({{ n${depth} }})</p>{{# x }}`,
    () =>
      `<table>\n::let n${depth} = ${b.path}\n:::each k, v in ${a.path}\n<tr><td>({{ k }})</td><td>({{ v ?? n${depth} }})</td></tr>\n:::\n</table>`,
    () => `<p>x</p><!--[if mso]><v:rect href="${address}" title="${value}">x</v:rect><![endif]-->`,
    () => `<p title="${value}" class=${value}>x</p>`,
    () => `<p {{ if ${b.path} }}data-a="(${value})" align="left"{{ else }}dir="ltr"{{ end }}data-b="(${value})">x</p>`,
    () => `<table><tr>(${value})<td>x</td></tr></table>`,
  ];
  return ways[one.kind % ways.length]();
}

/** The files of a case, and its schema as a tree. */
export function filesOf({ tree, templates }) {
  const defs = {};
  const json = jsonOf(tree, defs);
  const schema = JSON.stringify(Object.keys(defs).length > 0 ? { ...json, $defs: defs } : json);
  const paths = pathsOf(tree, '').filter((one) => one.path !== '');
  const usable = paths.length > 0 ? paths : [{ path: 'mail.locale', tree: { k: 'text' } }];
  const files = {
    'mail.yaml': 'name: T\nbaseUrl: https://shop.example/\n',
    'styles/x.css':
      '.block-ledger > tbody > tr > td, .q, li { color: #123456 }\n@media (max-width:9px){ p > b, [class="q"] { color: red } }',
    'strings/en.json': JSON.stringify({
      s0: 'Say {x}',
      s1: '{x, plural, one {# one} other {# many}}',
      s2: '{x, date, long}',
      s3: '{x, select, a {first} other {rest}}',
      s4: 'Read <l>{x} <i>now</i></l>, <b>please {x}</b>',
    }),
  };
  const inputs = [
    '{ type: string }',
    '{ type: string, default: usual }',
    '{ type: integer, optional: true }',
    '{ enum: [a, b] }',
    '{ type: array, items: { type: string } }',
    '{ type: string, format: uri }',
    '{ type: object, required: [a], properties: { a: { type: string } } }',
  ];
  const bodies = ['({{ in }})', '({{ in }})', '({{ in ?? 3 }})', '({{ in }})', '({{ in | list }})', '[there]({{ in }}/x)', '({{ in.a }})'];
  const which = (templates[0]?.pieces[0]?.how ?? 0) % inputs.length;
  files['blocks/own.md'] = `---\ninputs:\n  in: ${inputs[which]}\n---\n${bodies[which]}`;
  files['blocks/row.md'] = '---\ngives: rows\ninputs:\n  label: { type: string }\n---\n- {{ label }} | 1\n:::if label == "x"\n- y | 2\n:::';
  files['blocks/fact.md'] = '---\ngives: facts\ninputs:\n  label: { type: string }\n---\n- Label: {{ label }}';
  files['blocks/box.md'] = '::content\n\n:::content aside\n(none)\n:::';
  files['layouts/outer.md'] = '---\ninputs:\n  foot: { type: string, default: usual }\n---\n::body\n\n{{ foot }}';
  files['layouts/frame.md'] =
    '---\nlayout: outer\nfoot: "({{ line }})"\ninputs:\n  line: { type: string, default: usual }\n---\n:::card\n({{ line }})\n\n::body\n:::';
  templates.forEach(({ pieces, styled, own, html }, i) => {
    const text = pieces.map((one) => (html ? pieceHtml : pieceText)(one, usable, 0)).join('\n\n');
    const body = html ? `<!DOCTYPE html>\n<html><head><title>T</title></head><body>\n${text}\n</body></html>` : text;
    const first = usable[(pieces[0]?.b ?? 0) % usable.length];
    files[`templates/t${i}/data.schema.json`] = schema;
    const frame = html || i % 3 > 0 ? '' : `layout: frame\n${styled ? `line: '({{ ${first.path} }})'\n` : ''}`;
    const front = `---\nsubject: 'S${own ? ` {{ ${first.path} }}` : ''}'\npreview: "p"\n${styled ? 'styles: styles/x.css\n' : ''}${frame}---\n`;
    files[`templates/t${i}/message.${html ? 'html' : 'md'}`] = front + body;
  });
  return files;
}
