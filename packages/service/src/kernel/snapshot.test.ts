import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, expect, test } from '@jest/globals';
import { SYSTEM_CLOCK } from './clock.js';
import { openKernel } from './database.js';
import { SILENT } from './test-kernel.js';
import { StartError } from './unavailable.js';
import { manifestFile, takeSnapshot, verifyCopy } from './snapshot.js';

const folder = mkdtempSync(join(tmpdir(), 'verbalis-snapshot-'));
afterAll(() => {
  rmSync(folder, { recursive: true, force: true });
});
let n = 0;
const newFile = (): string => join(folder, `copy${(n += 1)}.sqlite`);
const MIGRATIONS = fileURLToPath(new URL('../../drizzle', import.meta.url));
const open = () =>
  openKernel({
    file: join(mkdtempSync(join(tmpdir(), 'verbalis-kernel-')), 'a.sqlite'),
    migrations: MIGRATIONS,
    log: SILENT,
    clock: SYSTEM_CLOCK,
  });

test('a copy has a manifest, is whole, and belongs to its owner alone', async () => {
  const own = await open();
  const to = newFile();
  const manifest = takeSnapshot(own.file, to, 1_000_000);
  expect(manifest).toMatchObject({
    format: 1,
    product: 'verbalis',
    asOf: '1970-01-01T00:16:40.000Z',
    sequence: 0,
    bytes: statSync(to).size,
  });
  expect(manifest.rows).toMatchObject({ kernel_state: 1, messages: 0 });
  expect(verifyCopy(to)).toEqual(manifest);
  for (const file of [to, manifestFile(to)]) expect(statSync(file).mode & 0o777).toBe(0o600);
  // Nothing else is left beside it.
  expect(readdirSync(folder).sort()).toEqual([to, manifestFile(to)].map((file) => file.slice(folder.length + 1)).sort());
  expect(() => takeSnapshot(own.file, to, 0)).toThrow('exists already');
  await own.close();
});

test.each<[string, (file: string) => void, string]>([
  [
    'is cut',
    (file) => {
      truncateSync(file, statSync(file).size - 4096);
    },
    'It is not whole',
  ],
  [
    'has a flipped bit',
    (file) => {
      const bytes = readFileSync(file);
      bytes[5000] = (bytes[5000] ?? 0) ^ 1;
      writeFileSync(file, bytes);
    },
    'is not what was written',
  ],
  [
    'has no manifest',
    (file) => {
      rmSync(manifestFile(file));
    },
    'cannot be read',
  ],
  [
    'has another manifest',
    (file) => {
      writeFileSync(manifestFile(file), '{"format":2}');
    },
    'is not a manifest',
  ],
  [
    'is gone',
    (file) => {
      rmSync(file);
    },
    'There is a manifest but no copy',
  ],
])('a copy that %s is refused', async (_name, change, why) => {
  const own = await open();
  const to = newFile();
  takeSnapshot(own.file, to, 0);
  change(to);
  expect(() => verifyCopy(to)).toThrow(why);
  expect(() => verifyCopy(to)).toThrow(StartError);
  await own.close();
});

test('what cannot be copied leaves nothing behind, and says why', async () => {
  const own = await open();
  expect(() => takeSnapshot(own.file, '/nowhere/copy.sqlite', 0)).toThrow(/nowhere/);
  const to = newFile();
  expect(() => takeSnapshot(join(folder, 'none.sqlite'), to, 0)).toThrow(/none\.sqlite/);
  expect([existsSync(to), existsSync(`${to}.part`), existsSync(manifestFile(to))]).toEqual([false, false, false]);
  await own.close();
});
