import { copyFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createClient, RefusedError, type Client } from '@verbalis/client';
import { startService, type Service } from '@verbalis/service';
import { takeSnapshot } from '@verbalis/service/kernel';
import { readConfig } from '@verbalis/service/settings';
import { startSmtpProvider, type SmtpSimulator } from '@verbalis/simulators';
import { pino } from 'pino';
import { stringify } from 'yaml';
import { LIMITS } from './support/limits.js';
import { apiWrites, newAddress } from './support/api-writes.js';
import { faultyStatements } from './support/faulty.js';
import { booking, DEMO_FOLDER, OPERATOR, temporaryFolder, until } from './support/service.js';

// Every write of the API with a failure at every statement in turn, at COMMIT, and between COMMIT and what follows. Whatever failed, what the
// service remembers must be what a fresh start on the same file builds.
const faults = faultyStatements();
/** Set to be called once between COMMIT and its effects. */
let crash: (() => void) | undefined;

const folder = temporaryFolder();
const file = join(folder.path, 'verbalis.yaml');
let simulator: SmtpSimulator;
let service: Service;
let client: Client;

const start = (database: string, isFaulty: boolean): Promise<Service> =>
  startService({
    config: readConfig(file, { VERBALIS_DATABASE_FILE: database }),
    operatorSecret: OPERATOR,
    logTo: pino.destination({ dest: '/dev/null', sync: true }),
    ...(isFaulty ? { kernel: { instrument: faults.instrument, group: { committed: () => crash?.() } } } : {}),
  });

beforeAll(async () => {
  simulator = await startSmtpProvider({
    name: 'relay',
    host: '127.0.0.1',
    port: 0,
    script: {},
    returnsTo: { host: '127.0.0.1', port: 1 },
    reportAfterMs: 50,
  });
  writeFileSync(
    file,
    stringify({
      listen: { port: 0 },
      returns: { port: 0, domain: 'returns.saltmarsh-ferries.example' },
      outside: { allow: ['127.0.0.1'] },
      dispatch: { retry: { firstSeconds: 0.1, growth: 1, mostSeconds: 0.1 } },
      providers: {
        relay: {
          kind: 'smtp',
          host: '127.0.0.1',
          port: simulator.port,
          limits: { warmUp: { first: 100_000, growth: 1, most: 200_000, since: '2026-11-20' } },
        },
      },
      spaces: {
        harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'], senderDomains: ['saltmarsh-ferries.example'] },
        drydock: { mode: 'capture', mailFolder: DEMO_FOLDER },
      },
    }),
  );
  service = await start(join(folder.path, 'v.sqlite'), true);
  client = createClient({ url: service.url, key: OPERATOR, space: 'harbour', tries: 1 });
});
afterAll(async () => {
  await service.stop();
  await simulator.close();
  folder.remove();
});

let n = 0;
const WRITES = apiWrites(
  () => client,
  () => createClient({ url: service.url, key: OPERATOR, space: 'drydock', tries: 1 }),
);

const idle = (of: Service) => until(() => (of.busy() ? undefined : true));

const ruleNames = async (): Promise<string[]> => (await client.alerts.list()).rules.map((rule) => `harbour/${rule.name}`).sort();

/** What a fresh start on a copy of the file remembers. */
async function fresh(): Promise<string> {
  const copy = join(folder.path, `copy-${(n += 1)}.sqlite`);
  takeSnapshot(join(folder.path, 'v.sqlite'), copy, Date.now());
  const rules = JSON.stringify(await ruleNames());
  const other = await start(copy, false);
  try {
    await until(() => (JSON.stringify(other.memory()['rules']) === rules ? true : undefined));
    return JSON.stringify({ ...other.memory(), workers: undefined });
  } finally {
    await other.stop();
  }
}

const reports: string[] = [];
test.each(WRITES)(
  '%s',
  async (name, ready) => {
    await client.providers.resume('relay');
    let failed = 0;
    for (const kind of ['statement', 'group'] as const) {
      for (let at = 1; ; at += 1) {
        const run = await ready();
        await idle(service);
        faults.arm(at, kind);
        try {
          await run();
        } catch (error) {
          failed += 1;
          // Clear, and to be tried again; never a fault of ours, never half of it.
          expect(error).toBeInstanceOf(RefusedError);
          expect((error as RefusedError).problem).toMatchObject({ status: 503, type: 'urn:verbalis:problem:store-unavailable' });
        }
        const isDone = faults.disarm();
        await idle(service);
        if (isDone) break;
        expect(at).toBeLessThan(200);
        // The same again goes well.
        if (name === 'send') await run();
      }
    }
    expect(failed).toBeGreaterThan(1);
    reports.push(`${name} ${failed}`);
    await idle(service);
    // Rules are read anew by the next look: it is waited for, and not hoped for. Workers that met a fault back off for a moment.
    const remembered = (of: Service): string => JSON.stringify({ ...of.memory(), workers: undefined });
    const built = await fresh();
    await until(() => (remembered(service) === built ? true : undefined)).catch(() => {
      expect(remembered(service)).toBe(built);
    });
  },
  LIMITS.longTest,
);

test('a crash between COMMIT and what follows loses nothing: the copy of that moment has it all, and goes on', async () => {
  const database = join(folder.path, 'v.sqlite');
  const copy = join(folder.path, 'crashed.sqlite');
  await client.providers.resume('relay');
  await idle(service);
  const to = newAddress();
  crash = () => {
    crash = undefined;
    for (const tail of ['', '-wal']) copyFileSync(`${database}${tail}`, `${copy}${tail}`);
  };
  const { id } = await client.messages.send(booking(to));
  expect(crash).toBeUndefined();
  const other = await start(copy, false);
  try {
    const there = createClient({ url: other.url, key: OPERATOR, space: 'harbour' });
    const message = await until(async () => {
      const found = await there.messages.get(id);
      return found.deliveries[0]?.state === 'accepted' ? found : undefined;
    });
    expect(message.deliveries[0]).toMatchObject({ address: to, state: 'accepted' });
  } finally {
    await other.stop();
  }
  process.stderr.write(`faults: writes that were refused and left nothing: ${reports.join(', ')}\n`);
});
