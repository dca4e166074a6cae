import { cpSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { spawnSync } from 'node:child_process';
import { afterAll, expect, test } from '@jest/globals';
import { DEMO_FOLDER, ROOT, temporaryFolder } from './support/service.js';

const { path, remove } = temporaryFolder();
afterAll(remove);
const mail = join(path, 'mail');
cpSync(DEMO_FOLDER, mail, { recursive: true });

function verbalis(...args: readonly string[]): { status: number | null; stdout: string; stderr: string } {
  return spawnSync(process.execPath, [join(ROOT, 'packages/cli/bin/verbalis.js'), ...args], { encoding: 'utf8' });
}

test('samples of a template are made from its schema, written, and fit it; files that exist stay', () => {
  const shown = verbalis('sample', mail, 'booking-confirmed', '--kind', 'minimal');
  expect(shown.status).toBe(0);
  expect(JSON.parse(shown.stdout)).toMatchObject({ passenger: {}, booking: { reference: 'SM-1234', fares: [{ count: 1 }] } });

  const file = join(mail, 'templates/booking-confirmed/samples/typical.json');
  const before = readFileSync(file, 'utf8');
  const refused = verbalis('sample', mail, 'booking-confirmed', '--write');
  expect(refused).toMatchObject({ status: 1, stderr: expect.stringContaining('typical.json exists already. Replace it with --force.') });
  expect(readFileSync(file, 'utf8')).toBe(before);

  const written = verbalis('sample', mail, 'booking-confirmed', '--write', '--force', '--json');
  expect(written.status).toBe(0);
  const { result } = JSON.parse(written.stdout) as { result: { written: string[] } };
  expect(result.written.map((name) => name.slice(name.lastIndexOf('/') + 1))).toEqual(['typical.json', 'minimal.json', 'nasty.json']);
  expect(verbalis('check', mail)).toMatchObject({ status: 0 });
  expect(verbalis('render', mail, 'booking-confirmed', '--sample', 'nasty', '--part', 'text').stdout).toContain('<b>&"\' Ása {{ x }}');
});

test('a template that does not exist is a wrong use, with what there is', () => {
  expect(verbalis('sample', mail, 'booking-confirm')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('Did you mean "booking-confirmed"'),
  });
});
