import { createHmac } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { connect, createServer, type Socket } from 'node:net';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import Sqlite from 'better-sqlite3';
import { createClient, RefusedError, type Client } from '@verbalis/client';
import { startService, type Clock, type Service } from '@verbalis/service';
import { readConfig } from '@verbalis/service/settings';
import { startSmtpProvider } from '@verbalis/simulators';
import { pino } from 'pino';
import { stringify } from 'yaml';
import { LIMITS } from './support/limits.js';
import { faultyStatements } from './support/faulty.js';
import { booking, DEMO_FOLDER, OPERATOR, temporaryFolder, until } from './support/service.js';
import { scaled } from './support/scale.js';

// The whole service through thousands of random steps: mail, changes of mind, a clock that is moved, statements that fail, a disk that is
// full, a file that is locked, sockets that are lost, calls that make no sense, restarts. Afterwards every message that was accepted has ended.
const STEPS = scaled(200, 3000);
const SEED = Number(process.env['VERBALIS_SEED'] ?? 20_261_127);
const SECRET = 'what only the provider knows';
const FINAL = new Set(['accepted', 'delivered', 'failed', 'complained', 'withheld', 'expired', 'canceled']);

/** Numbers from 0 to 1, the same for the same seed (mulberry32). */
function seeded(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
  };
}

const turns = async (n: number): Promise<void> => {
  for (let i = 0; i < n; i += 1) await new Promise((done) => setImmediate(done));
};

/** Time that passes when the simulation says so, and does not wait for anybody. */
function simulatedClock(
  start: number,
): Clock & { readonly pass: (ms: number) => Promise<void>; readonly jump: (ms: number) => Promise<void> } {
  let now = start;
  let elapsed = 0;
  const jumped = new Set<(jump: { readonly from: number; readonly to: number }) => void>();
  const timers = new Set<{ readonly at: number; readonly run: () => void }>();
  const at: Clock['at'] = (when, run) => {
    const timer = { at: when, run };
    timers.add(timer);
    return () => timers.delete(timer);
  };
  return {
    now: () => now,
    elapsed: () => elapsed,
    onJump: (callback) => {
      jumped.add(callback);
      return () => jumped.delete(callback);
    },
    at,
    after: (ms, run) => at(now + ms, run),
    async pass(ms) {
      const end = now + ms;
      for (;;) {
        let next: { readonly at: number; readonly run: () => void } | undefined;
        for (const timer of timers) if (timer.at <= end && (next === undefined || timer.at < next.at)) next = timer;
        if (next === undefined) break;
        timers.delete(next);
        elapsed += Math.max(0, next.at - now);
        now = Math.max(now, next.at);
        next.run();
        await turns(2);
      }
      elapsed += end - now;
      now = end;
    },
    /** As when a machine was asleep: what was due meanwhile is due all at once. */
    async jump(ms) {
      now += ms;
      for (const callback of jumped) callback({ from: now - ms, to: now });
      await this.pass(0);
    },
  };
}

/** A proxy between the service and a mail server that can drop all its connections. */
async function fragileWay(port: number) {
  const sockets = new Set<Socket>();
  const server = createServer((here) => {
    const there = connect(port, '127.0.0.1');
    for (const [one, other] of [
      [here, there],
      [there, here],
    ] as const) {
      sockets.add(one);
      one.on('error', () => other.destroy());
      one.on('close', () => {
        sockets.delete(one);
        other.destroy();
      });
      one.pipe(other);
    }
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  return {
    port: (server.address() as AddressInfo).port,
    lose: () => {
      for (const socket of sockets) socket.destroy();
    },
    close: () => {
      for (const socket of sockets) socket.destroy();
      return new Promise((done) => server.close(done));
    },
  };
}

test(
  `${STEPS} random steps (seed ${SEED}): nothing that was accepted is lost, and nothing stops`,
  async () => {
    const random = seeded(SEED);
    const chance = (of: number): boolean => random() < of;
    const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)]!;
    const folder = temporaryFolder();
    const clock = simulatedClock(Date.parse('2026-11-20T08:00:00Z'));
    const faults = faultyStatements();
    const simulator = await startSmtpProvider({
      name: 'relay',
      host: '127.0.0.1',
      port: 0,
      script: {},
      behaviour: (to, tries) =>
        to.startsWith('refused')
          ? { answer: { code: 550, enhanced: '5.1.1', text: 'no such user here' } }
          : to.startsWith('later') && tries < 3
            ? { answer: { code: 451, enhanced: '4.7.1', text: 'come back later' } }
            : { answer: { code: 250, enhanced: '2.1.5', text: 'OK' } },
      returnsTo: { host: '127.0.0.1', port: 1 },
      reportAfterMs: 50,
    });
    const way = await fragileWay(simulator.port);
    const config = join(folder.path, 'verbalis.yaml');
    writeFileSync(
      config,
      stringify({
        listen: { port: 0 },
        returns: { port: 0, domain: 'returns.saltmarsh-ferries.example' },
        log: { level: 'fatal' },
        // Also through days of outage nothing is given up.
        dispatch: {
          attempts: 1000,
          retry: { firstSeconds: 5, growth: 1, mostSeconds: 60 },
          retryByCause: Object.fromEntries(
            ['rate-or-greylist', 'unreachable'].map((text) => [text, { firstSeconds: 5, growth: 1, mostSeconds: 60 }]),
          ),
        },
        outside: { allow: ['127.0.0.1'] },
        providers: {
          relay: { kind: 'smtp', host: '127.0.0.1', port: way.port },
          parcel: {
            kind: 'http',
            request: { url: 'http://127.0.0.1:9/', json: { to: '{{ message.recipient.address }}' } },
            callbacks: {
              signature: { kind: 'hmac', secret: SECRET, signature: 'header:x-signature', toleranceSeconds: 86_400 },
              events: '$.events[*]',
              fields: { type: '$.what', id: '$.nr', delivery: '$.delivery', at: '$.at' },
              words: { arrived: 'delivered' },
            },
          },
        },
        spaces: { harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'], senderDomains: ['saltmarsh-ferries.example'] } },
      }),
    );
    let service: Service;
    let client: Client;
    const start = async (): Promise<void> => {
      service = await startService({
        config: readConfig(config, {}),
        operatorSecret: OPERATOR,
        clock,
        logTo: pino.destination({ dest: '/dev/null', sync: true }),
        kernel: { instrument: faults.instrument, group: { patienceMs: 60 } },
      });
      client = createClient({ url: service.url, key: OPERATOR, space: 'harbour', tries: 1 });
    };
    await start();

    const accepted = new Map<string, { readonly to: string; canceled: boolean }>();
    const counts: Record<string, number> = {};
    let refused = 0;
    let n = 0;
    /** A request that may meet a database that cannot be written just now, and no other trouble. */
    const attempt = async <T>(run: () => Promise<T>): Promise<T | undefined> => {
      try {
        return await run();
      } catch (error) {
        if (!(error instanceof RefusedError) || error.problem.status !== 503) throw error;
        refused += 1;
        return undefined;
      }
    };
    const address = (): string => `${pick(['guest', 'guest', 'guest', 'refused', 'later'])}${(n += 1)}@post.example`;
    const send = async (): Promise<void> => {
      const to = address();
      const isLater = chance(0.2);
      const message = await attempt(() =>
        client.messages.send({
          ...booking(to),
          ...(isLater ? { notBefore: new Date(clock.now() + 600_000 + random() * 3_600_000).toISOString() } : {}),
        }),
      );
      if (message !== undefined) accepted.set(message.id, { to, canceled: false });
    };
    const call = (body: unknown) => {
      const text = JSON.stringify(body);
      const signature = createHmac('sha256', SECRET).update(text).digest('hex');
      return fetch(`${service.url}/v1/callbacks/parcel`, { method: 'POST', headers: { 'x-signature': signature }, body: text });
    };
    const steps: readonly (readonly [weight: number, name: string, run: () => unknown])[] = [
      [34, 'send', send],
      [
        6,
        'send a batch',
        async () => {
          const messages = Array.from({ length: 3 }, () => booking(address()));
          const batch = await attempt(() => client.messages.sendBatch({ mode: 'each', messages }));
          batch?.results.forEach(({ id, index }) => {
            if (id !== undefined) accepted.set(id, { to: messages[index]!.to[0] as string, canceled: false });
          });
        },
      ],
      [24, 'time', () => clock.pass(random() ** 4 * 600_000)],
      [2, 'a clock jump', () => clock.jump(86_400_000 * random())],
      [
        4,
        'cancel',
        async () => {
          const known = [...accepted.keys()];
          if (known.length === 0) return;
          const id = pick(known);
          const change = await attempt(() => client.messages.cancel(id));
          if (change !== undefined && change.changed.length > 0) accepted.get(id)!.canceled = true;
        },
      ],
      [3, 'suppress', () => attempt(() => client.suppressions.add({ address: address() }))],
      [8, 'read', () => client.messages.list({ state: pick(['accepted', 'failed', 'queued', 'delayed']), limit: 20 })],
      [
        5,
        'a statement fails',
        () => {
          faults.arm(1 + Math.floor(random() * 40), 'statement');
        },
      ],
      [
        3,
        'a group is lost',
        () => {
          faults.arm(1 + Math.floor(random() * 40), 'group');
        },
      ],
      [
        4,
        'sockets are lost',
        () => {
          way.lose();
        },
      ],
      [
        1,
        'the file is locked',
        async () => {
          const other = new Sqlite(join(folder.path, 'verbalis.sqlite'), { timeout: 1000 });
          other.exec('begin immediate');
          await send();
          await turns(20);
          other.exec('rollback');
          other.close();
        },
      ],
      [
        4,
        'a call',
        async () => {
          const body = pick<unknown>([null, 7, {}, { events: [null, { what: 'arrived', nr: n, at: -1e300 }] }, { events: 'x' }, []]);
          expect([200, 422, 503]).toContain((await call(body)).status);
        },
      ],
      [1, 'pause', () => attempt(() => client.providers.pause('relay'))],
      [2, 'resume', () => attempt(() => client.providers.resume('relay'))],
      [
        0.4,
        'restart',
        async () => {
          faults.disarm();
          await service.stop();
          await start();
        },
      ],
    ];
    const total = steps.reduce((sum, [weight]) => sum + weight, 0);
    try {
      for (let step = 0; step < STEPS; step += 1) {
        let left = random() * total;
        const [, name, run] = steps.find(([weight]) => (left -= weight) < 0)!;
        counts[name] = (counts[name] ?? 0) + 1;
        await run();
        if (step % 100 === 0) expect((await fetch(`${service!.url}/health/live`)).status).toBe(200);
      }
      // All is mended: what was accepted comes to its end.
      faults.disarm();
      await attempt(() => client!.providers.resume('relay'));
      await until(async () => {
        await clock.pass(120_000);
        return (await client!.queue.get()).waiting === 0 && !service!.busy() ? true : undefined;
      });
      for (const item of (await client!.quarantine.list({ limit: 200 })).items) expect(item.worker).toBe('callbacks');
      const problems = (service!.memory()['workers'] as string[]).filter((text) => text.includes('backing off'));
      expect(problems).toEqual([]);

      let [duplicates, uncertain] = [0, 0];
      for (const [id, { to, canceled }] of accepted) {
        const [delivery] = (await client!.messages.get(id)).deliveries;
        const taken = simulator.seen.get(to)?.taken ?? 0;
        expect({ to, isFinal: FINAL.has(delivery!.state) }).toEqual({ to, isFinal: true });
        const doubtful = delivery!.attempts.filter(({ outcome }) => outcome === 'uncertain').length;
        // Taken at least once where it says so, and more often only where an attempt was in doubt.
        if (delivery!.state === 'accepted') expect({ to, isThere: taken >= 1 }).toEqual({ to, isThere: true });
        if (canceled && doubtful === 0) expect({ to, taken }).toEqual({ to, taken: 0 });
        expect({ to, extra: Math.max(0, taken - 1) <= doubtful }).toEqual({ to, extra: true });
        duplicates += Math.max(0, taken - 1);
        uncertain += doubtful;
      }
      expect(accepted.size).toBeGreaterThan(STEPS / 5);
      process.stderr.write(
        `simulation: ${STEPS} steps, ${accepted.size} messages, ${refused} refused by faults, ${uncertain} uncertain attempts, ${duplicates} duplicates; ${Object.entries(
          counts,
        )
          .map(([name, count]) => `${name} ${count}`)
          .join(', ')}\n`,
      );
    } finally {
      await service!.stop();
      await way.close();
      await simulator.close();
      folder.remove();
    }
  },
  LIMITS.longTest,
);
