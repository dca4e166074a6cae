import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { adviseFolder } from '@verbalis/core/check';
import { linkFolder } from '@verbalis/core/folder';
import { compileFolder } from '@verbalis/core/program';
import { prepare } from '@verbalis/core/render';
import { formatSource, openFolder } from '@verbalis/core/editing';
import { readMailFolder } from '@verbalis/service/mail-folder';
import { ROOT } from './support/service.js';

const FOLDER = join(ROOT, 'tests/adversarial/mail');
const EXPECTED = join(ROOT, 'tests/adversarial/expected');
const NOW = Date.parse('2026-11-30T12:00:00Z');
const names = readdirSync(join(FOLDER, 'templates'));
const files = await readMailFolder(FOLDER);
const project = linkFolder(files);
const compiled = compileFolder(project);

/** Subject and text part of a sample. */
function shown(name: string, sample: string): string {
  const program = compiled.templates.get(name)?.programs.get('en');
  const data = project.templates.get(name)?.samples.find(({ name: own }) => own === sample)?.data;
  if (program === undefined) throw new Error(`${name} does not compile.`);
  const { subject, text, html } = prepare(program)({ data, now: NOW });
  expect({ name, residue: /\[object Object\]|\bNaN\b|\bundefined\b|[\uFDD0-\uFDEF]/.exec(subject + text + html) }).toEqual({
    name,
    residue: null,
  });
  return `Subject: ${subject}\n\n${text}`;
}

test('forty templates of what people reach for pass the check, and both of their parts say the same', () => {
  expect(names).toHaveLength(40);
  const problems = [...compiled.problems, ...adviseFolder(project, compiled, NOW)].filter(
    ({ severity, code }) => severity !== 'suggestion' || code === 'parts-differ',
  );
  expect(problems).toEqual([]);
});

// What a reader of the text part gets, read once by a person. UPDATE=1 writes it anew, to be read again.
test.each(names)('%s is what it was', (name) => {
  const file = join(EXPECTED, `${name}.txt`);
  const text = shown(name, 'typical');
  if (process.env['UPDATE'] !== undefined) {
    mkdirSync(EXPECTED, { recursive: true });
    writeFileSync(file, text);
  }
  expect(existsSync(file)).toBe(true);
  expect(text).toBe(readFileSync(file, 'utf8'));
});

test.each(names)('%s holds with long and odd data', (name) => {
  expect(shown(name, 'nasty')).toContain('Subject: ');
});

test('all of them are formatted', () => {
  const { context } = openFolder(files);
  for (const name of names) {
    const source = project.templates.get(name)?.sources.get('');
    expect({ name, text: source === undefined ? '' : formatSource(source.file, source.text, context.modes) }).toEqual({
      name,
      text: source?.text,
    });
  }
});
