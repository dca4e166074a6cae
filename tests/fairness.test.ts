import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createClient } from '@verbalis/client';
import { LIMITS } from './support/limits.js';
import { DEMO_FOLDER, OPERATOR, startTestService, until, type TestService } from './support/service.js';
import { scaled } from './support/scale.js';

// A bulk of optional mail waits; a sign-in code goes ahead of it, fast provider or slow.
const BULK = scaled(2000, 20_000);
const SLOW_BULK = 2000;
const sample = (template: string): Record<string, unknown> =>
  JSON.parse(readFileSync(join(DEMO_FOLDER, `templates/${template}/samples/typical.json`), 'utf8')) as Record<string, unknown>;

let all: TestService;
beforeAll(async () => {
  all = await startTestService({
    change: (port) => ({
      log: { level: 'error' },
      publicUrl: 'https://mail.saltmarsh-ferries.example',
      providers: {
        relay: { kind: 'smtp', host: '127.0.0.1', port },
        // A tenth of what this machine can do.
        slow: { kind: 'smtp', host: '127.0.0.1', port, limits: { perSecond: 20 } },
      },
      spaces: {
        harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'] },
        jetty: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['slow'] },
      },
    }),
  });
});
afterAll(() => all.stop());

test.each([
  ['harbour', 'relay', BULK],
  ['jetty', 'slow', SLOW_BULK],
] as const)(
  '%s: a sign-in code is handed over within two seconds, whatever bulk waits',
  async (space, relay, bulk) => {
    const client = createClient({ url: all.service.url, key: OPERATOR, space });
    await client.providers.pause(relay);
    const bulletin = { template: 'pier-bulletin', data: sample('pier-bulletin') };
    for (let made = 0; made < bulk; made += 1000) {
      const messages = Array.from({ length: Math.min(1000, bulk - made) }, (_, i) => ({
        ...bulletin,
        to: [`reader${made + i}@post.example`],
      }));
      expect(await client.messages.sendBatch({ mode: 'all', messages })).toMatchObject({ refused: 0 });
    }
    await client.providers.resume(relay);
    await until(async () => ((await client.queue.get()).waiting < bulk ? true : undefined));
    for (let i = 0; i < 5; i += 1) {
      const { id } = await client.messages.send({ template: 'sign-in-code', to: [`guest${i}@post.example`], data: sample('sign-in-code') });
      await until(async () => ((await client.messages.get(id)).deliveries[0]!.state === 'accepted' ? true : undefined));
    }
    const queue = await client.queue.get();
    expect(queue.topics.find((topic) => topic.priority === 'optional')?.waiting).toBeGreaterThan(0);
  },
  LIMITS.longTest,
);
