import { cpSync, existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { runHere } from './support/cli.js';
import { DEMO_FOLDER, startTestService, temporaryFolder } from './support/service.js';

const { path, remove } = temporaryFolder();
afterAll(remove);
const changed = join(path, 'changed');
const message = join(changed, 'templates/booking-confirmed/message.md');

async function verbalis(args: readonly string[], env: NodeJS.ProcessEnv = process.env) {
  const { code: status, out: stdout, notes: stderr } = await runHere(args, { env: { ...env, NO_COLOR: '1' } });
  return { status, stdout, stderr };
}

beforeAll(() => {
  cpSync(DEMO_FOLDER, changed, { recursive: true });
  writeFileSync(message, readFileSync(message, 'utf8').replace('We kept your place', 'We saved a place'));
});

test('two mail folders are compared for their readers, without a service', async () => {
  const { status, stdout } = await verbalis(['editions', 'diff', DEMO_FOLDER, changed]);
  expect(status).toBe(1);
  expect(stdout).toContain('~ templates/booking-confirmed/message.md');
  expect(stdout).toMatch(/ {2}- We kept your place on the [^\n]*\n {2}\+ We saved a place on the /);
  expect(stdout).toMatch(/\d emails? of \d+ differs?/);
  expect(await verbalis(['editions', 'diff', DEMO_FOLDER, DEMO_FOLDER])).toMatchObject({ status: 0, stdout: 'Nothing differs.\n' });
  const files = JSON.parse((await verbalis(['editions', 'diff', DEMO_FOLDER, changed, '--files-only', '--json'])).stdout) as {
    result: unknown;
  };
  expect(files.result).toEqual({ changes: [{ path: 'templates/booking-confirmed/message.md', change: 'changed' }] });
});

test('pictures stand side by side, with frames around what differs', async () => {
  const folder = join(path, 'review');
  const { status, stdout } = await verbalis(['editions', 'diff', DEMO_FOLDER, changed, '--pictures', folder]);
  expect({ status, made: stdout.includes(`made ${join(folder, 'index.html')}`) }).toEqual({ status: 1, made: true });
  const page = readFileSync(join(folder, 'index.html'), 'utf8');
  expect(page).toContain('<del>We kept your place on the ');
  for (const side of ['before', 'after']) {
    expect(
      readFileSync(join(folder, `001-${side}.png`))
        .subarray(1, 4)
        .toString(),
    ).toBe('PNG');
    // One line of the email differs, not what is below it.
    const figure = new RegExp(`<figure><img src="001-${side}\\.png"[^>]*>(.*?)</figure>`).exec(page)?.[1] ?? '';
    expect(figure.match(/<i /g)).toHaveLength(1);
    expect(Number(/height:([\d.]+)%/.exec(figure)?.[1])).toBeLessThan(6);
  }
  expect(await verbalis(['editions', 'diff', DEMO_FOLDER, changed, '--pictures', folder], { ...process.env, PATH: path })).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('Pictures need Chromium'),
  });
});

test('an edition is compared with a folder: text, pictures and all', async () => {
  const service = await startTestService({ script: {} });
  try {
    const env = { ...process.env, VERBALIS_URL: service.service.url, VERBALIS_KEY: service.key };
    const local = join(path, 'local');
    cpSync(DEMO_FOLDER, local, { recursive: true });
    const number = String((await service.client.editions.list()).editions[0]?.number ?? 0);
    const run = (to: string) => verbalis(['editions', 'diff', number, to], env);
    expect(await run(local)).toMatchObject({ status: 0, stdout: 'Nothing differs.\n' });
    // The same words with another picture: bytes have to come through the API as they are.
    const picture = join(local, 'assets/sandpiper.png');
    expect(existsSync(picture)).toBe(true);
    writeFileSync(picture, Buffer.concat([readFileSync(picture), Buffer.from([0, 255, 128])]));
    const { status, stdout } = await run(local);
    expect({ status, picture: stdout.includes('~ assets/sandpiper.png'), broken: stdout.includes('cannot be rendered') }).toEqual({
      status: 1,
      picture: true,
      broken: false,
    });
    rmSync(picture);
    expect((await run(local)).stdout).toContain('- assets/sandpiper.png');
    expect(await run(join(path, 'nothing'))).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('is neither the number of an edition nor a mail folder'),
    });
  } finally {
    await service.stop();
  }
});
