import { describe, expect, test } from '@jest/globals';
import { compileFolder } from '../program/index.js';
import { prepare } from '../render/index.js';
import { applied, definitions, describe as described, openFolder, rename, type EditedFolder } from './index.js';
import { inBody, opened, type Opened } from './test-folder.js';

/** The folder after a rename, by path. @throws Error with the reason where it is refused */
function renamed({ folder, path, offset }: Opened, to: string): Map<string, string> {
  const edits = rename(folder, { path, offset }, to);
  if ('refused' in edits) throw new Error(edits.refused);
  return new Map([...applied(folder.files, edits)].map(([name, bytes]) => [name, new TextDecoder().decode(bytes)]));
}

const refused = ({ folder, path, offset }: Opened, to: string): string => {
  const edits = rename(folder, { path, offset }, to);
  return 'refused' in edits ? edits.refused : '';
};

/** HTML and text of every sample in every language. */
function rendered({ project }: EditedFolder): string[] {
  const { templates } = compileFolder(project);
  return [...project.templates.values()].flatMap(({ name, samples }) =>
    [...(templates.get(name)?.programs.values() ?? [])].flatMap((program) =>
      samples.map(({ data }) => {
        const { subject, html, text } = prepare(program)({ data, now: 0 });
        return JSON.stringify([subject, html, text]);
      }),
    ),
  );
}

describe('a field', () => {
  const body =
    ':::each fare in booking.fares\n- {{ fare.label }} {{ fare.amo¦unt | money booking.currency }}\n:::\n\n{{ booking.fares | sum "amount" | money booking.currency }}';

  test('is renamed in sources, strings of formatters, schema and samples', () => {
    const at = inBody(body);
    const after = renamed(at, 'price');
    expect(after.get('templates/t/message.md')).toContain('{{ fare.price | money booking.currency }}');
    expect(after.get('templates/t/message.md')).toContain('sum "price"');
    expect(after.get('templates/t/data.schema.json')).not.toContain('amount');
    expect(after.get('templates/t/data.schema.json')).toMatch(/"required": \[\s*"label",\s*"price"\s*\]/);
    expect(after.get('templates/t/samples/typical.json')).toContain('"price": 4200');
    const now = openFolder(new Map([...after].map(([path, text]) => [path, Buffer.from(text)])));
    expect(rendered(now)).toEqual(rendered(at.folder));
    expect(rendered(now)).toHaveLength(1);
  });

  test('is renamed in the layout, when it is the only template that the layout is for', () => {
    const after = renamed(inBody('{{ passenger.na¦me }}'), 'fullName');
    expect(after.get('layouts/quay.md')).toContain('{{ passenger.fullName }}');
  });

  test('is not renamed where another template would break', () => {
    const other = {
      'templates/u/message.md': '---\nsubject: U\n---\nText\n',
      'templates/u/data.schema.json': JSON.stringify({
        type: 'object',
        required: ['passenger'],
        properties: { passenger: { type: 'object', required: ['name'], properties: { name: { type: 'string' } } } },
      }),
    };
    expect(refused(opened({ ...other, 'templates/t/message.md': '---\nsubject: S\n---\n{{ passenger.na¦me }}\n' }), 'fullName')).toMatch(
      /^With "fullName", layouts\/quay\.md:3 would have a new problem: "passenger" has no field "fullName"/,
    );
  });

  test('is renamed from the schema, and in every language', () => {
    const schema = JSON.stringify({
      type: 'object',
      required: ['passenger'],
      properties: { passenger: { type: 'object', required: ['name'], properties: { name: { type: 'string' } } } },
    });
    const at = opened({
      'layouts/quay.md': '::body\n',
      'templates/t/data.schema.json': schema.replace('"name":', '"na¦me":'),
      'templates/t/samples/typical.json': '{"passenger":{"name":"Ada"}}',
      'templates/t/message.md': '---\nsubject: "{{ passenger.name }}"\n---\n{{ passenger["name"] }}\n',
      'templates/t/message.de.md': '---\nsubject: S\n---\n{{ say "hello" name=passenger.name }}\n',
    });
    const after = renamed(at, 'full');
    expect(after.get('templates/t/message.md')).toBe('---\nsubject: "{{ passenger.full }}"\n---\n{{ passenger["full"] }}\n');
    expect(after.get('templates/t/message.de.md')).toContain('say "hello" name=passenger.full');
    expect(after.get('templates/t/samples/typical.json')).toBe('{"passenger":{"full":"Ada"}}');
  });

  test('of a shared schema is renamed in every template that uses it, and in what refers through it', () => {
    const shared = JSON.stringify({
      type: 'object',
      required: ['pier'],
      properties: { pier: { type: 'object', required: ['n'], properties: { n: { type: 'string' } } } },
    });
    const using = (ref: string): string =>
      JSON.stringify({
        type: 'object',
        required: ['from', 'gate'],
        properties: { from: { $ref: '../../schemas/trip.json' }, gate: { $ref: ref } },
      });
    const message = '---\nsubject: S\nlayout: none\n---\n{{ from.pier.n }} {{ gate.n }}\n';
    const at = opened({
      'schemas/trip.json': shared,
      'templates/t/data.schema.json': using('../../schemas/trip.json#/properties/pier'),
      'templates/t/samples/typical.json': '{"from":{"pier":{"n":"1"}},"gate":{"n":"2"}}',
      'templates/t/message.md': message.replace('pier', 'pi¦er'),
      'templates/u/data.schema.json': using('../../schemas/trip.json#/properties/pier'),
      'templates/u/message.md': message,
    });
    const after = renamed(at, 'quay');
    for (const name of ['t', 'u']) {
      expect(after.get(`templates/${name}/message.md`)).toContain('{{ from.quay.n }} {{ gate.n }}');
      expect(after.get(`templates/${name}/data.schema.json`)).toContain('trip.json#/properties/quay"');
    }
    expect(after.get('schemas/trip.json')).toBe(shared.replaceAll('pier', 'quay'));
  });

  test('that is declared by several variants is one field', () => {
    const variant = (kind: string, field: string): object => ({
      type: 'object',
      required: ['kind', 'at', field],
      properties: { kind: { const: kind }, at: { type: 'string' }, [field]: { type: 'string' } },
    });
    const at = opened({
      'templates/t/data.schema.json': JSON.stringify({
        type: 'object',
        required: ['stop'],
        properties: { stop: { oneOf: [variant('pier', 'lane'), variant('bus', 'bay')] } },
      }),
      'templates/t/samples/typical.json': '{"stop":{"kind":"bus","at":"x","bay":"3"}}',
      'templates/t/message.md': '---\nsubject: S\nlayout: none\n---\n{{ stop.a¦t }}\n',
    });
    const after = renamed(at, 'place');
    expect(after.get('templates/t/data.schema.json')?.match(/"place"/g)).toHaveLength(4);
    expect(after.get('templates/t/samples/typical.json')).toContain('"place":"x"');
  });

  test('is renamed in the data of rules and schedules', () => {
    const at = opened({
      'templates/t/message.md': '---\nsubject: S\n---\n{{ passenger.na¦me }}\n',
      'schedules/weekly.yaml':
        'starts: 2026-12-02T07:30\ntemplate: t\nrecipientSource: { list: [{ to: ada@example.com, data: { passenger: { name: "Ada" } } }] }\ndata:\n  state: late\n  passenger: { name: "Ada" }\n  booking: { total: 1, currency: GBP, fares: [] }\n',
    });
    const after = renamed(at, 'fullName').get('schedules/weekly.yaml');
    expect(after).toContain('  passenger: { fullName: "Ada" }');
    expect(after).toContain('data: { passenger: { fullName: "Ada" } } }]');
  });

  test.each([
    ['a name that something else has', '{{ booking.to¦tal }}', 'currency', /new problem|something else/],
    [
      'a name that a loop would hide',
      ':::each fare in booking.fares\n{{ fare.label }} {{ sta¦te }}\n:::',
      'fare',
      /new problem|something else/,
    ],
    ['something that is not a name', '{{ booking.to¦tal }}', 'the total', /is not a name that expressions can use/],
    ['a word of the language', '{{ booking.to¦tal }}', 'and', /is not a name that expressions can use/],
    ['what the service gives', '{{ mail.loc¦ale }}', 'language', /something else/],
  ])('is not renamed to %s', (_what, text, to, reason) => {
    expect(refused(inBody(text), to)).toMatch(reason);
  });
});

describe('a local name', () => {
  test('is renamed within its block only', () => {
    const at = inBody(
      ':::each fare in booking.fares\n- {{ fa¦re.label }} {{ fare.amount | number }}\n:::\n:::each fare in booking.fares\n- {{ fare.label }}\n:::',
    );
    expect(renamed(at, 'entry').get('templates/t/message.md')).toContain(
      ':::each entry in booking.fares\n- {{ entry.label }} {{ entry.amount | number }}\n:::\n:::each fare in booking.fares\n- {{ fare.label }}',
    );
  });

  test('of ::let is renamed with its uses, and not to a name that is taken', () => {
    const body = '::let sum = booking.total\n\n{{ su¦m | money booking.currency }} {{ state }}';
    expect(renamed(inBody(body), 'paid').get('templates/t/message.md')).toContain('::let paid = booking.total\n\n{{ paid | money');
    expect(refused(inBody(body), 'booking')).toMatch(/new problem|something else/);
    expect(refused(inBody(':::each a in booking.fares\n:::each b in booking.fares\n{{ a¦.label }}{{ b.label }}\n:::\n:::'), 'b')).toMatch(
      /something else/,
    );
  });
});

test('the key of a text is renamed in all languages and where it is said', () => {
  const after = renamed(inBody('{{ say "hel¦lo" name=passenger.name }} {{ say "parts.end" }}'), 'greeting');
  expect(after.get('strings/de.json')).toContain('"greeting": "Hallo {name}"');
  expect(after.get('templates/t/message.md')).toContain('{{ say "greeting" name=passenger.name }} {{ say "parts.end" }}');
  expect(renamed(inBody('{{ say "parts.e¦nd" }}'), 'close').get('templates/t/message.md')).toContain('{{ say "parts.close" }}');
  expect(refused(inBody('{{ say "hel¦lo" name=passenger.name }}'), 'a"b')).toMatch(/cannot be a key/);
});

test.each([
  ['a field', '{{ passenger.na¦me }}', 'templates/t/data.schema.json', 'name'],
  ['a loop’s name', ':::each fare in booking.fares\n{{ fa¦re.label }}\n:::', 'templates/t/message.md', 'fare'],
  ['a block', '::be¦rth lane="1" trip={{ passenger }}', 'blocks/berth.md', ''],
  ['an input', '::berth la¦ne="1" trip={{ passenger }}', 'blocks/berth.md', 'lane'],
  ['a text', '{{ say "hel¦lo" name=passenger.name }}', 'strings/en.json', 'hello'],
])('%s is defined there', (_what, body, file, text) => {
  const { folder, path, offset } = inBody(body);
  const places = definitions(folder, path, offset);
  const place = places.find((found) => found.file === file);
  expect(folder.project.texts.get(file)?.slice(place?.offset, (place?.offset ?? 0) + (place?.length ?? 0))).toBe(text);
});

test.each([
  [
    'a field with its type, description and a value',
    '{{ passenger.na¦me }}',
    ['**name**: a text', 'As on the ticket.', 'In the sample typical: `"Ada"`'],
  ],
  ['an entry of a loop', ':::each fare in booking.fares\n{{ fare.am¦ount | number }}\n:::', ['a whole number', '`4200`']],
  ['a choice', '{{ sta¦te }}', ['"boarding", "late", "cancelled"']],
  ['a formatter', '{{ booking.total | mon¦ey booking.currency }}', ['**money**', 'For example']],
  ['a block', ':::not¦ice tone=info\nx\n:::', ['**notice**', '`tone`']],
  ['a text', '{{ say "hel¦lo" name=passenger.name }}', ['en: Hello {name}', 'de: Hallo {name}']],
])('describes %s', (_what, body, wanted) => {
  const { folder, path, offset } = inBody(body);
  for (const text of wanted) expect(described(folder, path, offset)?.text).toContain(text);
});
