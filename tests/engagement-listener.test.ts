import { execFileSync, fork } from 'node:child_process';
import { createHmac } from 'node:crypto';
import { once } from 'node:events';
import { readFileSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { createClient } from '@verbalis/client';
import { writeHitToken } from '@verbalis/core/engagement';
import { stringify } from 'yaml';
import { movableClock } from './support/clock.js';
import { LIMITS } from './support/limits.js';
import { BROWSER, follow, linkIn, PUBLIC, STORY } from './support/links.js';
import { OPERATOR, ROOT, startTestService, temporaryFolder, until } from './support/service.js';

// Links of emails at a listener of their own, in a thread of its own.

async function started(change: Record<string, unknown> = {}) {
  // The thread has the clock of the machine: for the service all that it notes is old enough to be judged.
  const clock = movableClock(Date.now() + 60_000);
  const all = await startTestService({ clock, change: { publicUrl: PUBLIC, links: { port: 0 }, ...change } });
  clock.busy = all.service.busy;
  const links = `http://127.0.0.1:${all.service.linksPort ?? 0}`;
  /** How many hits are known. */
  const known = async (): Promise<number> => {
    const { people, machines, unknown } = (await all.client.engagement.get({})).total.links;
    return people + machines + unknown;
  };
  return {
    ...all,
    links,
    known,
    /** The address of a link as the listener has it. */
    link: async (to: string) => (await linkIn(all.client, to)).replace(PUBLIC, links),
    /** Waits until so many hits are known. */
    judged: async (hits: number) =>
      until(async () => {
        await clock.move(1000);
        return (await known()) >= hits ? true : undefined;
      }),
  };
}

const asked = (url: string, options: { method?: string; host?: string; language?: string }) =>
  new Promise<{ status: number; location: string | undefined; body: string }>((done, failed) => {
    const { method = 'GET', host, language } = options;
    const headers = {
      'user-agent': BROWSER,
      ...(host === undefined ? {} : { host }),
      ...(language === undefined ? {} : { 'accept-language': language }),
    };
    request(url, { method, headers }, (response) => {
      let body = '';
      response.on('data', (chunk: Buffer) => (body += chunk.toString()));
      response.on('end', () => done({ status: response.statusCode ?? 0, location: response.headers.location, body }));
    })
      .once('error', failed)
      .end();
  });

test(
  'links lead to their targets from there, and from the main listener; each hit is known once',
  async () => {
    const all = await started();
    try {
      const link = await all.link('reader@post.example');
      expect(await follow(link)).toBe(STORY);
      expect(await follow(link.replace(all.links, all.service.url))).toBe(STORY);
      await all.judged(2);
      expect(await all.known()).toBe(2);
      const { events } = await all.client.events.list({ filter: 'type = link-followed', limit: 10 });
      expect(events).toHaveLength(2);
    } finally {
      await all.stop();
    }
  },
  LIMITS.test,
);

test(
  'nothing else is there: altered links, other pages, other methods, other hosts',
  async () => {
    const all = await started();
    try {
      const link = await all.link('reader@post.example');
      expect(await asked(`${link}x`, { language: 'de' })).toMatchObject({ status: 404, body: expect.stringContaining('lang="de"') });
      expect(await asked(`${all.links}/v1/messages`, {})).toMatchObject({ status: 404 });
      expect(await asked(`${all.links}/`, {})).toMatchObject({ status: 404 });
      const { headers } = await fetch(`${link}x`);
      expect(Object.fromEntries(headers)).toMatchObject({
        'x-content-type-options': 'nosniff',
        'cache-control': 'no-store',
        'x-robots-tag': 'noindex',
      });
      expect(await asked(link, { method: 'POST' })).toMatchObject({ status: 405 });
      expect(await asked(link, { host: 'elsewhere.example' })).toMatchObject({ status: 404, location: undefined });
      expect(await asked(link, { host: 'mail.saltmarsh-ferries.example' })).toMatchObject({ status: 302, location: STORY });
      const host = 'links.saltmarsh-ferries.example';
      const operator = createClient({ url: all.service.url, key: OPERATOR });
      await operator.domains.add({ name: 'saltmarsh-ferries.example', linkHost: host });
      expect(await asked(link, { host })).toMatchObject({ status: 302, location: STORY });
    } finally {
      await all.stop();
    }
  },
  LIMITS.test,
);

test(
  'readers are answered while the service is busy with something else',
  async () => {
    const all = await started();
    try {
      const link = await all.link('reader@post.example');
      const ask = `const answer = await fetch(${JSON.stringify(link)}, { redirect: 'manual' }); process.stdout.write(answer.headers.get('location') ?? '')`;
      // Nothing else runs in this thread until the child is over.
      const led = execFileSync(process.execPath, ['--input-type=module', '-e', ask], { timeout: LIMITS.test / 2 }).toString();
      expect(led).toBe(STORY);
      await all.judged(1);
    } finally {
      await all.stop();
    }
  },
  LIMITS.test,
);

test(
  'readers are answered while the configuration is read again, and no hit of that time is lost',
  async () => {
    const all = await started();
    try {
      const links = await Promise.all([1, 2, 3].map((n) => all.link(`reader${n}@post.example`)));
      let isOver = false;
      let answered = 0;
      const following = (async () => {
        while (!isOver && answered < 90) {
          const led = await Promise.all(links.map(follow));
          expect(led).toEqual(links.map(() => STORY));
          answered += led.length;
        }
      })();
      for (const recipients of [40, 41, 42]) {
        all.rewrite((settings) => {
          settings['limits'] = { recipients };
        });
        expect(await all.service.reload()).toHaveLength(1);
      }
      isOver = true;
      await following;
      await all.judged(answered);
      expect(await all.known()).toBe(answered);
      all.rewrite((settings) => {
        settings['links'] = { port: 1 };
      });
      await expect(all.service.reload()).rejects.toThrow(/cannot be changed while the service runs/);
    } finally {
      await all.stop();
    }
  },
  LIMITS.test,
);

test('a port that is in use is reported with its setting', async () => {
  const all = await startTestService();
  try {
    const port = Number(new URL(all.service.url).port);
    await expect(startTestService({ change: { links: { port } } })).rejects.toThrow(/Port \d+ on 127\.0\.0\.1 is in use.*links\.port/);
  } finally {
    await all.stop();
  }
});

test(
  'a thread that ends is started again at its port, and what it had written is known',
  async () => {
    const folder = temporaryFolder();
    const config = join(folder.path, 'verbalis.yaml');
    writeFileSync(
      config,
      stringify({
        listen: { port: 0 },
        links: { port: 0 },
        returns: { port: 0 },
        publicUrl: PUBLIC,
        spaces: { harbour: { mode: 'capture' } },
      }),
    );
    const child = fork(join(ROOT, 'tests/support/ending-thread.mjs'), [config, OPERATOR], {
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
    });
    try {
      const ended = once(child, 'exit').then(() => Promise.reject(new Error('The service has ended.')));
      const [ports] = (await Promise.race([once(child, 'message'), ended])) as [{ url: string; linksPort: number }];
      const { master } = JSON.parse(readFileSync(join(folder.path, 'verbalis.secrets.json'), 'utf8')) as { master: string };
      const key = createHmac('sha256', Buffer.from(master, 'base64url')).update('verbalis\0engagement').digest();
      const of = { mode: 'counts', group: 'a', space: 'harbour', template: 'bulletin', topic: 'pier-news', sentMinute: 1 } as const;
      const token = writeHitToken(key, { of, index: 1, links: 1, label: 'Read on', block: '', url: STORY });
      const link = `http://127.0.0.1:${ports.linksPort}/go/${token}`;
      expect(await follow(link)).toBe(STORY);
      child.send('end');
      await once(child, 'message');
      // Nobody listens for a moment.
      await until(() => follow(link).catch(() => undefined));
      const client = createClient({ url: ports.url, key: OPERATOR, space: 'harbour' });
      await until(async () => {
        const { people, machines, unknown } = (await client.engagement.get({})).total.links;
        return people + machines + unknown === 2 ? true : undefined;
      });
    } finally {
      child.kill('SIGKILL');
      folder.remove();
    }
  },
  LIMITS.test,
);
