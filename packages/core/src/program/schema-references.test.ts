import { expect, test } from '@jest/globals';
import { testFolder, md, object } from './test-folder.js';

const ADDRESS = {
  $id: 'https://x.example/address',
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  ...object({ city: { type: 'string' }, zip: { type: 'string' }, country: { $ref: '#/$defs/country' } }),
  $defs: { country: { enum: ['IS', 'FO'] } },
};
const PERSON = object({ name: { type: 'string' }, home: { $ref: 'address.json' }, friends: { type: 'array', items: { $ref: '#' } } });
const files = (body: string): Record<string, string> => ({
  'schemas/address.json': JSON.stringify(ADDRESS),
  'schemas/person.json': JSON.stringify(PERSON),
  'templates/t/message.md': md(body),
});
const DATA = {
  who: {
    name: 'Ása',
    home: { city: 'Oldquay', zip: '1', country: 'IS' },
    friends: [{ name: 'Nour', home: { city: 'Pier', zip: '2', country: 'FO' }, friends: [] }],
  },
  to: 'FO',
};
const SCHEMA = object({ who: { $ref: '../../schemas/person.json' }, to: { $ref: '/schemas/address.json#/$defs/country' } });

test('types and data of schemas in other files, which refer to others in turn', () => {
  const { problems, compiled, render } = testFolder(
    SCHEMA,
    files(
      '{{ who.name }}, {{ who.home.city }} {{ who.home.country }}\n\n:::each f in who.friends\n- {{ f.name }} {{ f.home.city }}\n:::\n\n{{ to }}',
    ),
  );
  // What is shared need not be used by each template: no word of the zip.
  expect(problems).toEqual([]);
  expect(render(DATA).text).toBe('Ása, Oldquay IS\n\n- Nour Pier\n\nFO\n');
  const check = compiled.templates.get('t');
  expect(check).toBeDefined();
});

test('data is checked against them', () => {
  const { project } = testFolder(SCHEMA, files('{{ who.name }}'));
  const template = project.templates.get('t');
  expect(template?.checkData(DATA)).toEqual([]);
  expect(template?.checkData({ ...DATA, to: 'SE' })).toMatchObject([{ path: 'to' }]);
  expect(template?.checkData({ ...DATA, who: { ...DATA.who, friends: [{ name: 'x' }] } })).not.toEqual([]);
});

test('a path that the shared schema does not have is a problem of the template', () => {
  const [first] = testFolder(SCHEMA, files('{{ who.home.town }}')).problems;
  expect(first).toMatchObject({ code: 'unknown-field', place: { file: 'templates/t/message.md', line: 4 } });
});

test.each([
  ['../../schemas/adress.json', 'Did you mean "schemas/address.json"'],
  ['https://x.example/address', 'nothing is fetched'],
  ['../t/data.schema.json', 'no file'],
  ['../../../../etc/passwd', 'no file'],
])('a reference to %s is refused with its place', (written, said) => {
  const { problems } = testFolder(object({ who: { $ref: written } }), files('{{ who }}'));
  const found = problems.find(({ code }) => code === 'schema-reference');
  expect(found?.place).toMatchObject({ file: 'templates/t/data.schema.json', line: 1 });
  expect(`${found?.message} ${found?.hint}`).toContain(said);
});

test('what looks like a reference in data is none', () => {
  const schema = object({ who: { const: { $ref: '../../schemas/none.json' } }, to: { type: 'string' } });
  expect(testFolder(schema, files('{{ to }}')).codes).toEqual([]);
});
