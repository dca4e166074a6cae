import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { Ajv2020 } from 'ajv/dist/2020.js';
import addFormatsModule from 'ajv-formats';
import { parse } from 'yaml';
import { fileSchemas } from './index.js';

const DEMO = join(import.meta.dirname, '../../../../demo/mail');
const ajv = new Ajv2020({ strict: false, allErrors: true });
(addFormatsModule as unknown as (typeof addFormatsModule)['default'])(ajv);
const schemaOf = (name: string): Readonly<Record<string, unknown>> => {
  const found = fileSchemas().find((schema) => schema.name === name);
  if (found === undefined) throw new Error(`There is no schema "${name}".`);
  return found.schema;
};
const fits = (name: string, text: string): boolean => ajv.validate(schemaOf(name), parse(text));
const read = (path: string): string => readFileSync(join(DEMO, path), 'utf8');

test('the files of the demo fit the schemas of their kind', () => {
  expect(fits('mail', read('mail.yaml'))).toBe(true);
  for (const [folder, name] of [
    ['signals', 'signal-rule'],
    ['schedules', 'schedule'],
  ] as const)
    for (const file of readdirSync(join(DEMO, folder)).filter((path) => path.endsWith('.yaml')))
      expect({ file, fits: fits(name, read(`${folder}/${file}`)) }).toEqual({ file, fits: true });
  for (const template of readdirSync(join(DEMO, 'templates'))) {
    const files = readdirSync(join(DEMO, 'templates', template)).filter((path) => /\.(?:md|html)$/.test(path));
    for (const file of files) {
      const front = read(`templates/${template}/${file}`).split('---\n')[1] ?? '';
      expect({ template, file, fits: fits('front-matter', front) }).toEqual({ template, file, fits: true });
    }
  }
});

test.each([
  ['mail', 'name: T\nbaseURL: https://a.example'],
  ['mail', 'locale: en'],
  ['mail', 'name: T\ntopics: { news: { label: News, purpose: maybe } }'],
  ['signal-rule', 'on: a.b\ndata: x.json'],
  ['signal-rule', 'on: a.b\ndata: x.json\nsend: { template: t, to: a@b.example, subject: S }'],
  ['schedule', 'starts: 2026-12-02T07:30\ntemplate: t\nrecipientSource: { uri: x }'],
  ['front-matter', 'subjet: S'],
  ['front-matter', 'subject: { name: x }'],
])('a wrong %s does not fit: %s', (name, text) => {
  expect(fits(name, text)).toBe(false);
});

test('every key says what it is for', () => {
  for (const { name, schema } of fileSchemas())
    for (const [key, value] of Object.entries(
      schema['properties'] as Record<string, { readonly description?: string; readonly properties?: object }>,
    ))
      if (value.properties === undefined)
        expect({ name, key, said: value.description ?? '' }).toEqual({ name, key, said: expect.stringMatching(/\w/) });
});
