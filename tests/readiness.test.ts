import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, expect, test } from '@jest/globals';
import { startService, type Service } from '@verbalis/service';
import { readConfig } from '@verbalis/service/settings';
import { pino } from 'pino';
import { stringify } from 'yaml';
import { faultyStatements } from './support/faulty.js';
import { OPERATOR, temporaryFolder, until } from './support/service.js';

const folder = temporaryFolder();
let service: Service | undefined;
afterEach(async () => {
  await service?.stop();
  folder.remove();
});

test('readiness says what is wrong, and that all is well again', async () => {
  const faults = faultyStatements();
  const file = join(folder.path, 'verbalis.yaml');
  writeFileSync(file, stringify({ listen: { port: 0 }, returns: { port: 0 } }));
  service = await startService({
    config: readConfig(file, {}),
    operatorSecret: OPERATOR,
    logTo: pino.destination({ dest: '/dev/null', sync: true }),
    kernel: { instrument: faults.instrument },
  });
  const { url } = service;
  const ask = async (): Promise<unknown> => {
    const response = await fetch(`${url}/health/ready`);
    return { status: response.status, ...((await response.json()) as object) };
  };
  expect(await ask()).toEqual({ status: 200, ready: true });
  // What runs at a start has been written.
  await until(() => (service?.busy() === false ? true : undefined));
  faults.arm(1, 'group');
  expect(await ask()).toEqual({ status: 503, ready: false, problems: ['The disk is full.'] });
  expect(await ask()).toEqual({ status: 200, ready: true });
  rmSync(join(folder.path, 'verbalis.sqlite.lock'));
  const problems = ['The lock file of the database was removed, so another service could start on it.'];
  expect(await ask()).toEqual({ status: 503, ready: false, problems });
});
