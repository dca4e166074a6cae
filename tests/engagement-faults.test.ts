import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, expect, test } from '@jest/globals';
import Sqlite from 'better-sqlite3';
import { startSmtpProvider } from '@verbalis/simulators';
import { stringify } from 'yaml';
import { startChild } from './support/child.js';
import { movableClock } from './support/clock.js';
import { LIMITS } from './support/limits.js';
import { follow, linkIn, PUBLIC, STORY } from './support/links.js';
import { DEMO_FOLDER, OPERATOR, startTestService, temporaryFolder, until } from './support/service.js';

// Whoever follows a link gets where it leads, whatever is broken; and what was answered is known, whatever was killed.

const folder = temporaryFolder();
afterAll(() => folder.remove());

test(
  'a service that is killed as soon as it has answered knows of every hit when it is back, and of none twice',
  async () => {
    const provider = await startSmtpProvider({
      name: 'simulator',
      host: '127.0.0.1',
      port: 0,
      script: {},
      returnsTo: { host: '127.0.0.1', port: 0 },
      reportAfterMs: 10,
    });
    const config = join(folder.path, 'verbalis.yaml');
    const space = {
      mode: 'deliver',
      mailFolder: DEMO_FOLDER,
      route: ['relay'],
      senderDomains: ['saltmarsh-ferries.example'],
      runaway: false,
    };
    writeFileSync(
      config,
      stringify({
        listen: { port: 0 },
        returns: { port: 0 },
        dns: { check: false },
        log: { level: 'error' },
        publicUrl: PUBLIC,
        providers: { relay: { kind: 'smtp', host: '127.0.0.1', port: provider.port } },
        spaces: { harbour: space },
      }),
    );
    let service = await startChild(config);
    const links: string[] = [];
    for (let n = 0; n < 5; n += 1) links.push((await linkIn(service.client, `reader${n}@post.example`)).replace(/^.*(?=\/go\/)/, ''));
    let answered = 0;
    for (let round = 0; round < 3; round += 1) {
      const { url } = service;
      await Promise.all(
        links.map(async (path) => {
          if ((await follow(url + path)) === STORY) answered += 1;
        }),
      );
      await service.end('SIGKILL');
      service = await startChild(config);
    }
    expect(answered).toBe(15);
    const known = async (): Promise<number> => {
      const { links: of } = (await service.client.engagement.get({})).total;
      return of.people + of.machines + of.unknown;
    };
    await until(async () => ((await known()) >= answered ? true : undefined));
    expect(await known()).toBe(15);
    const { events } = await service.client.events.list({ filter: 'type = link-followed', limit: 100 });
    expect(new Set(events.map(({ id }) => id)).size).toBe(15);
    await service.end('SIGKILL');
    service = await startChild(config);
    expect(await known()).toBe(15);
    await service.end('SIGTERM');
    await provider.close();
  },
  LIMITS.test,
);

test('links redirect while another process locks the database, and the hits are recorded afterwards', async () => {
  const clock = movableClock(Date.UTC(2026, 10, 25, 9));
  const all = await startTestService({ clock, change: { publicUrl: PUBLIC } });
  clock.busy = all.service.busy;
  try {
    const link = (await linkIn(all.client, 'reader@post.example')).replace(PUBLIC, all.service.url);
    await clock.move(60_000);
    const other = new Sqlite(join(all.folder, 'verbalis.sqlite'));
    other.exec('begin immediate');
    expect(await follow(link)).toBe(STORY);
    expect(await follow(link)).toBe(STORY);
    other.exec('rollback');
    other.close();
    await clock.move(120_000);
    expect((await all.client.engagement.get({})).total.links.people).toBe(2);
  } finally {
    await all.stop();
  }
});

test('where no hit can be noted readers are sent on, and it is counted and logged once', async () => {
  const all = await startTestService({
    change: { publicUrl: PUBLIC },
    before: (path) => {
      mkdirSync(join(path, 'verbalis.sqlite.hits'));
    },
  });
  try {
    const link = (await linkIn(all.client, 'reader@post.example')).replace(PUBLIC, all.service.url);
    for (let n = 0; n < 3; n += 1) expect(await follow(link)).toBe(STORY);
    const metrics = await (await fetch(`${all.service.url}/metrics`, { headers: { authorization: `Bearer ${OPERATOR}` } })).text();
    expect(metrics).toMatch(/^verbalis_hits_lost_total 3\b/m);
    expect(all.logs.filter((line) => line.includes('a hit could not be noted'))).toHaveLength(1);
    expect(all.logs.filter((line) => line.includes('cannot be read'))).toHaveLength(1);
  } finally {
    await all.stop();
  }
});

test('of one email so many hits are noted as say something, and everybody is sent on', async () => {
  const clock = movableClock(Date.UTC(2026, 10, 25, 9));
  const all = await startTestService({ clock, change: { publicUrl: PUBLIC } });
  clock.busy = all.service.busy;
  try {
    const link = (await linkIn(all.client, 'reader@post.example')).replace(PUBLIC, all.service.url);
    await clock.move(60_000);
    const led = await Promise.all(Array.from({ length: 150 }, () => follow(link)));
    expect(led.every((to) => to === STORY)).toBe(true);
    await clock.move(60_000);
    expect((await all.client.engagement.get({})).total.links.people).toBe(100);
  } finally {
    await all.stop();
  }
});
