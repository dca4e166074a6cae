import { once } from 'node:events';
import { cpSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { spawn } from 'node:child_process';
import { afterAll, expect, test } from '@jest/globals';
import { runHere } from './support/cli.js';
import { DEMO_FOLDER, ROOT, temporaryFolder, until } from './support/service.js';

const { path, remove } = temporaryFolder();
afterAll(remove);
const mail = join(path, 'mail');
cpSync(DEMO_FOLDER, mail, { recursive: true });

async function verbalis(...args: readonly string[]): Promise<{ status: number | null; stdout: string; stderr: string }> {
  const { code, out, notes } = await runHere(args, { env: process.env });
  return { status: code, stdout: out, stderr: notes };
}

test('samples of a template are made from its schema, written, and fit it; files that exist stay', async () => {
  const shown = await verbalis('sample', mail, 'booking-confirmed', '--kind', 'minimal');
  expect(shown.status).toBe(0);
  expect(JSON.parse(shown.stdout)).toMatchObject({ passenger: {}, booking: { reference: 'SM-1234', fares: [{ count: 1 }] } });

  const file = join(mail, 'templates/booking-confirmed/samples/typical.json');
  const before = readFileSync(file, 'utf8');
  const refused = await verbalis('sample', mail, 'booking-confirmed', '--write');
  expect(refused).toMatchObject({ status: 1, stderr: expect.stringContaining('typical.json exists already. Replace it with --force.') });
  expect(readFileSync(file, 'utf8')).toBe(before);

  const written = await verbalis('sample', mail, 'booking-confirmed', '--write', '--force', '--json');
  expect(written.status).toBe(0);
  const { result } = JSON.parse(written.stdout) as { result: { written: string[] } };
  expect(result.written.map((name) => name.slice(name.lastIndexOf('/') + 1))).toEqual(['typical.json', 'minimal.json', 'nasty.json']);
  expect(await verbalis('check', mail)).toMatchObject({ status: 0 });
  expect((await verbalis('render', mail, 'booking-confirmed', '--sample', 'nasty', '--part', 'text')).stdout).toContain(
    '<b>&"\' Ása {{ x }}',
  );
});

test('a template that does not exist is a wrong use, with what there is', async () => {
  expect(await verbalis('sample', mail, 'booking-confirm')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('Did you mean "booking-confirmed"'),
  });
});

test('check --watch checks again after a change, and ends with what it found last', async () => {
  const child = spawn(process.execPath, [join(ROOT, 'packages/cli/bin/verbalis.js'), 'check', mail, '--watch']);
  let printed = '';
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (bytes: Buffer) => (printed += bytes.toString()));
  await until(() => (printed.includes('Waiting for changes') ? true : undefined));
  expect(printed).toContain('0 errors');
  const file = join(mail, 'templates/sign-in-code/message.md');
  const before = readFileSync(file, 'utf8');
  writeFileSync(file, `${before}\n{{ nobody }}\n`);
  await until(() => (printed.includes('The data has no field "nobody".') && printed.includes('1 error,') ? true : undefined));
  writeFileSync(file, before);
  await until(() => (printed.split('0 errors').length === 3 ? true : undefined));
  // Another name than before: a file that is read while it is written has an error too, so counting them would not do.
  writeFileSync(file, `${before}\n{{ nothing }}\n`);
  await until(() => (/The data has no field "nothing"[^]*1 error,/.test(printed) ? true : undefined));
  child.kill('SIGINT');
  expect((await once(child, 'exit'))[0]).toBe(1);
  writeFileSync(file, before);
});
