import { createServer, type IncomingMessage } from 'node:http';
import type { AddressInfo } from 'node:net';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe as group, expect, test } from '@jest/globals';
import { createClient, type BulkSendView, type Client, type NewBulkSend } from '@verbalis/client';
import { isGenuine } from '@verbalis/core/events';
import { startSmtpProvider } from '@verbalis/simulators';
import { stringify } from 'yaml';
import { startChild } from './support/child.js';
import { movableClock } from './support/clock.js';
import { LIMITS } from './support/limits.js';
import { PUBLIC } from './support/links.js';
import { scaled } from './support/scale.js';
import { DEMO_FOLDER, OPERATOR, smallMailFolder, startTestService, temporaryFolder, until } from './support/service.js';

// One template to many recipients.

const DATA = JSON.parse(readFileSync(join(DEMO_FOLDER, 'templates/pier-bulletin/samples/typical.json'), 'utf8')) as Record<string, unknown>;
const guests = (n: number, from = 1): string[] => Array.from({ length: n }, (_, i) => `guest${from + i}@post.example`);
const ndjson = (addresses: readonly string[]): string => addresses.map((to) => `${JSON.stringify({ to })}\n`).join('');

async function within(
  change: Record<string, unknown>,
  run: (all: Awaited<ReturnType<typeof startTestService>> & { operator: Client; clock: ReturnType<typeof movableClock> }) => Promise<void>,
): Promise<void> {
  const clock = movableClock(Date.UTC(2026, 10, 25, 9));
  const all = await startTestService({ clock, change: { publicUrl: PUBLIC, ...change } });
  clock.busy = all.service.busy;
  try {
    await run({ ...all, clock, operator: createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' }) });
  } finally {
    await all.stop();
  }
}

const begun = (client: Client, more: Pick<NewBulkSend, 'recipients'> & Partial<NewBulkSend>) =>
  client.bulkSends.start({ template: 'pier-bulletin', data: DATA, essential: false, ...more });

/** Lets time pass until a bulk send is as it should be. */
const once = (client: Client, clock: { move: (ms: number) => Promise<void> }, id: string, is: (bulk: BulkSendView) => boolean) =>
  until(async () => {
    await clock.move(600);
    const bulk = await client.bulkSends.get(id);
    return is(bulk) ? bulk : undefined;
  });

group('recipients', () => {
  test('of a list get one message each; what cannot be sent is listed with the reason', () =>
    within({}, async ({ client, operator, clock, simulator }) => {
      await operator.suppressions.add({ address: 'gone@post.example' });
      const { id } = await begun(client, {
        reference: 'week 48',
        recipients: {
          list: [
            { to: 'Ása <asa@post.example>', labels: { port: 'vagur' } },
            { to: 'gone@post.example' },
            { to: 'nobody' },
            { to: 'ASA@post.example' },
            { to: { name: 'Nour', address: 'nour@post.example' }, data: { week: 'many' } },
            { to: 'liv@post.example', reference: 'own' },
          ],
        },
      });
      const bulk = await once(client, clock, id, ({ state, deliveries }) => state === 'done' && deliveries.queued === undefined);
      expect(bulk).toMatchObject({ read: 6, accepted: 3, refused: 3, deliveries: { accepted: 2, withheld: 1 } });
      expect((await client.bulkSends.refused(id)).refused).toMatchObject([
        { row: 3, who: 'nobody', problems: [{ path: 'to' }] },
        { row: 4, who: 'ASA@post.example', problems: [{ path: 'to', message: 'has a message of this bulk send already' }] },
        { row: 5, who: 'nour@post.example', problems: [{ path: expect.stringContaining('week') }] },
      ]);
      const { messages } = await client.messages.list({});
      expect(messages.map(({ to, reference, locale }) => [to[0]?.address, reference, locale]).sort()).toEqual([
        ['asa@post.example', 'week 48', 'en'],
        ['gone@post.example', 'week 48', 'en'],
        ['liv@post.example', 'own', 'en'],
      ]);
      expect([...simulator.seen.values()].map(({ address, taken }) => [address, taken]).sort()).toEqual([
        ['asa@post.example', 1],
        ['liv@post.example', 1],
      ]);
    }));

  test('of a file: NDJSON, and CSV whose cells become what the template wants', () =>
    within({}, async ({ client, clock }) => {
      const lines = await client.uploads.add(new Blob([`\uFEFF${ndjson(guests(450))}\n\nnot JSON\n{"to": 7}`]), { name: 'guests.ndjson' });
      const first = await begun(client, { recipients: { upload: lines.id } });
      expect(await once(client, clock, first.id, ({ state }) => state === 'done')).toMatchObject({ read: 452, accepted: 450, refused: 2 });

      const csv = 'address,name,givenName,data.booking.reference,data.booking.currency,data.refund.total,labels.port,data.refund.days\r\n';
      const row = 'asa@post.example,"Jóns, Ása",Ása,SM-1042,EUR,-1200,"va""gur",5\r\n';
      const upload = await client.uploads.add(new Blob([csv, row, 'liv@post.example,,,SM-1043,EUR,x,,5\r\n']), { name: 'refunds.csv' });
      const data = { refund: { at: '2026-11-20', lines: [{ label: 'Adult', amount: -1200 }] } };
      await expect(
        client.bulkSends.start({ template: 'refund-receipt', data, recipients: { upload: upload.id }, essential: true }),
      ).rejects.toThrow(/No meaning has: givenName/);
      const right = await client.uploads.add(
        new Blob([
          'address,name,data.booking.reference,data.booking.currency,labels.port\r\n',
          'asa@post.example,"Jóns, Ása",SM-1042,EUR,"va""gur"\r\n',
          'liv@post.example,,SM-1043,EURO,\r\n',
        ]),
        { name: 'refunds.csv' },
      );
      const whole = { refund: { at: '2026-11-20', days: 5, total: -1200, lines: [{ label: 'Adult', amount: -1200 }] } };
      const second = await client.bulkSends.start({
        template: 'refund-receipt',
        data: whole,
        recipients: { upload: right.id },
        essential: true,
      });
      await once(client, clock, second.id, ({ state }) => state === 'done');
      const { messages } = await client.messages.list({ template: 'refund-receipt' });
      expect(messages).toMatchObject([{ to: [{ name: 'Jóns, Ása', address: 'asa@post.example' }], labels: { port: 'va"gur' } }]);
      expect((await client.bulkSends.refused(second.id)).refused).toMatchObject([
        { row: 2, problems: [{ path: expect.stringContaining('currency') }] },
      ]);
    }));

  test('of an address of the app, page by page and signed; it waits while that fails, and says why', () =>
    within({ outside: { allow: ['127.0.0.1'] } }, async ({ client, operator, clock }) => {
      const { secret } = await operator.bulkSends.secret();
      const asked: unknown[] = [];
      let failures = 2;
      const bodyOf = async (request: IncomingMessage): Promise<string> => {
        let body = '';
        for await (const chunk of request) body += String(chunk);
        return body;
      };
      const server = createServer((request, response) => {
        void bodyOf(request).then((body) => {
          const headers = request.headers as Record<string, string>;
          if (!isGenuine(secret, { headers, body, now: clock.now() })) response.writeHead(401).end();
          else if (failures > 0) {
            failures -= 1;
            response.writeHead(500).end();
          } else {
            const { cursor } = JSON.parse(body) as { cursor: string | null };
            asked.push(cursor);
            if (cursor === null)
              response.writeHead(200, { 'content-type': 'application/x-ndjson', 'verbalis-next': 'two' }).end(ndjson(guests(250)));
            else
              response.writeHead(200, { 'content-type': 'application/json' }).end(
                JSON.stringify({
                  recipients: guests(250, cursor === 'two' ? 201 : 451).map((to) => ({ to })),
                  next: cursor === 'two' ? 'three' : null,
                }),
              );
          }
        });
      });
      await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
      try {
        const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/recipients`;
        const { id } = await begun(client, { recipients: { url } });
        expect(await once(client, clock, id, ({ problem }) => problem !== undefined)).toMatchObject({
          state: 'running',
          read: 0,
          problem: `${url} answered 500.`,
        });
        const bulk = await once(client, clock, id, ({ state }) => state !== 'running');
        expect(bulk).toMatchObject({ state: 'done', read: 750, accepted: 700, refused: 50 });
        expect(bulk.problem).toBeUndefined();
        expect(asked).toEqual([null, 'two', 'three']);
        // What is no source of ours is not asked again and again.
        const other = await begun(client, {
          recipients: { url: `http://127.0.0.1:${(server.address() as AddressInfo).port + 0}/recipients?x` },
        });
        await once(client, clock, other.id, ({ state }) => state !== 'running');
      } finally {
        server.close();
      }
      const gone = await begun(client, { recipients: { url: 'http://10.1.2.3/recipients' } });
      expect(await once(client, clock, gone.id, ({ state }) => state === 'failed')).toMatchObject({
        problem: expect.stringContaining('outside.allow'),
      });
      const { events } = await client.events.list({ filter: 'type = bulk-send-ended' });
      expect(events.map(({ data }) => [data['state'], data['accepted'], data['refused']])).toEqual([
        ['failed', 0, 0],
        expect.arrayContaining(['done']),
        ['done', 700, 50],
      ]);
      expect(events[0]).toMatchObject({ type: 'verbalis.bulk-send.ended', data: { text: expect.stringContaining('outside.allow') } });
      expect((await client.bulkSends.resume(gone.id)).state).toBe('running');
      expect((await once(client, clock, gone.id, ({ state }) => state === 'failed')).read).toBe(0);
    }));
});

group('people decide', () => {
  test('pause, resume and cancel: nothing waits any more, and no recipient is left out or comes twice', () =>
    within({}, async ({ client, clock, operator, simulator }) => {
      await operator.holds.add({ all: true });
      const upload = await client.uploads.add(new Blob([ndjson(guests(1500))]), { name: 'guests.ndjson' });
      const { id } = await begun(client, { recipients: { upload: upload.id } });
      // Nothing leaves: only so many wait.
      await once(client, clock, id, ({ accepted }) => accepted >= 1000);
      await clock.move(5000);
      const waiting = await client.bulkSends.get(id);
      expect(waiting).toMatchObject({ state: 'running', accepted: waiting.read, deliveries: { queued: waiting.read } });
      expect(waiting.read).toBeLessThanOrEqual(1200);
      expect((await client.bulkSends.pause(id)).state).toBe('paused');
      await operator.holds.release({ all: true });
      await clock.move(20_000);
      expect((await client.bulkSends.get(id)).read).toBe(waiting.read);
      await client.bulkSends.resume(id);
      const done = await once(client, clock, id, ({ state, deliveries }) => state === 'done' && deliveries.queued === undefined);
      expect(done).toMatchObject({ read: 1500, accepted: 1500, deliveries: { accepted: 1500 } });
      expect(simulator.seen.size).toBe(1500);
      expect([...simulator.seen.values()].every(({ taken }) => taken === 1)).toBe(true);

      await operator.holds.add({ all: true });
      const again = await client.uploads.add(new Blob([ndjson(guests(1500))]), { name: 'guests.ndjson' });
      const other = await begun(client, { recipients: { upload: again.id } });
      await once(client, clock, other.id, ({ accepted }) => accepted >= 1000);
      expect((await client.bulkSends.cancel(other.id)).state).toBe('canceled');
      const [ended] = (await client.events.list({ filter: 'type = bulk-send-ended' })).events;
      expect(ended?.data).toMatchObject({ bulkSend: other.id, state: 'canceled', name: 'pier-bulletin' });
      const canceled = await once(client, clock, other.id, ({ deliveries }) => deliveries.queued === undefined);
      expect(canceled.deliveries).toEqual({ canceled: canceled.accepted });
      await expect(client.bulkSends.resume(other.id)).rejects.toThrow(/canceled/);
      await expect(client.bulkSends.cancel(done.id)).rejects.toThrow(/nothing of it waits/);
    }));

  test('a rate, and a test run of the first', () =>
    within({}, async ({ client, clock }) => {
      const list = guests(60).map((to) => ({ to }));
      const slow = await begun(client, { recipients: { list }, perMinute: 12 });
      await clock.move(61_000);
      const after = await client.bulkSends.get(slow.id);
      expect(after.read).toBeGreaterThanOrEqual(12);
      expect(after.read).toBeLessThanOrEqual(13);
      const trial = await begun(client, { recipients: { list }, first: 3 });
      expect(await once(client, clock, trial.id, ({ state }) => state === 'done')).toMatchObject({ read: 3, accepted: 3 });
    }));

  test('an essential template goes to many only where that is said', () =>
    within({}, async ({ client }) => {
      const wanted = { template: 'refund-receipt', recipients: { list: [{ to: 'a@post.example' }] } };
      await expect(client.bulkSends.start({ ...wanted, essential: false })).rejects.toThrow(/"refund-receipt"/);
      await expect(client.bulkSends.start({ ...wanted, template: 'sign-in', essential: false })).rejects.toThrow(/no template "sign-in"/);
      await expect(client.bulkSends.start({ ...wanted, recipients: { upload: 'unone' }, essential: true })).rejects.toThrow(
        /There is no "unone"/,
      );
      await expect(client.bulkSends.get('pnone')).rejects.toThrow(/There is no "pnone"/);
    }));
});

test(
  'a service that is killed three times on the way sends each recipient one message, or leaves an attempt that is uncertain',
  async () => {
    const folder = temporaryFolder();
    const provider = await startSmtpProvider({
      name: 'simulator',
      host: '127.0.0.1',
      port: 0,
      script: {},
      returnsTo: { host: '127.0.0.1', port: 0 },
      reportAfterMs: 10,
    });
    const config = join(folder.path, 'verbalis.yaml');
    writeFileSync(
      config,
      stringify({
        listen: { port: 0 },
        returns: { port: 0 },
        dns: { check: false },
        log: { level: 'error' },
        publicUrl: PUBLIC,
        providers: { relay: { kind: 'smtp', host: '127.0.0.1', port: provider.port } },
        spaces: {
          harbour: {
            mode: 'deliver',
            mailFolder: smallMailFolder(folder.path, 'pier-bulletin'),
            route: ['relay'],
            senderDomains: ['saltmarsh-ferries.example'],
            runaway: false,
          },
        },
      }),
    );
    let service = await startChild(config);
    try {
      const N = scaled(450, 1200);
      // No one domain is to be spared.
      const spread = Array.from({ length: N }, (_, i) => `guest${i}@post${i % 50}.example`);
      const upload = await service.client.uploads.add(new Blob([ndjson(spread)]), { name: 'guests.ndjson' });
      const { id } = await begun(service.client, { recipients: { upload: upload.id } });
      for (const from of [N / 9, N / 3, N / 1.5]) {
        await until(async () => ((await service.client.bulkSends.get(id)).read > from ? true : undefined));
        await service.end('SIGKILL');
        service = await startChild(config);
      }
      const bulk = await until(async () => {
        const found = await service.client.bulkSends.get(id);
        return found.state === 'done' && found.deliveries['queued'] === undefined ? found : undefined;
      });
      expect(bulk).toMatchObject({ read: N, accepted: N, refused: 0 });
      expect(provider.seen.size).toBe(N);
      const twice = [...provider.seen.values()].filter(({ taken }) => taken > 1).map(({ address }) => address);
      // A message that a kill caught between its last byte and the answer may come again; its delivery says so.
      for (const address of twice) {
        const { messages } = await service.client.messages.list({ address });
        expect(messages).toHaveLength(1);
        const { deliveries } = await service.client.messages.get(messages[0]!.id);
        expect(deliveries[0]!.attempts.map(({ outcome }) => outcome)).toContain('uncertain');
      }
      expect(twice.length).toBeLessThan(N / 12);
    } finally {
      await service.end('SIGKILL');
      await provider.close();
      folder.remove();
    }
  },
  LIMITS.test,
);
