import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { Client } from '@verbalis/client';
import type { Clock } from '@verbalis/service';
import { startBrokers, type Brokers } from './support/brokers.js';
import { makeMachines } from './support/cluster.js';
import { booking, until } from './support/service.js';

let brokers: Brokers;
beforeAll(async () => {
  brokers = await startBrokers({ count: 1 });
});
afterAll(() => brokers.stop());

const [HOUR, DAY] = [3_600_000, 86_400_000];

/** The clock of a machine whose date is set. */
function settable(offset = 0): Clock & { readonly set: (ms: number) => void } {
  const jumped = new Set<(jump: { readonly from: number; readonly to: number }) => void>();
  const now = (): number => Date.now() + offset;
  const after = (ms: number, run: () => void): (() => void) => {
    const timer = setTimeout(run, ms);
    return () => clearTimeout(timer);
  };
  return {
    now,
    elapsed: () => performance.now(),
    after,
    at: (at, run) => after(Math.min(60_000, Math.max(0, at - now())), run),
    onJump: (callback) => {
      jumped.add(callback);
      return () => jumped.delete(callback);
    },
    set(ms) {
      const from = now();
      offset += ms;
      for (const callback of jumped) callback({ from, to: now() });
    },
  };
}

const isLevel = (client: Client) =>
  until(async () => {
    const found = await client.cluster.get().catch(() => undefined);
    return found?.state === 'healthy' && found.nodes.every(({ record }) => record === found.log?.last) ? found : undefined;
  });
const takeOvers = (logs: readonly string[]): number => logs.filter((line) => line.includes('this node takes over')).length;

test('whatever the dates of its machines are, a cluster has one primary, and loses nothing', async () => {
  const made = await makeMachines(brokers);
  try {
    const [a, b] = made.machines;
    const clock = settable();
    const first = await a!.run(clock);
    // The other machine is two days behind.
    const second = await b!.run(settable(-2 * DAY));
    await isLevel(first.client);
    const accepted: string[] = [];
    const send = async (client: Client): Promise<void> => {
      accepted.push((await client.messages.send(booking(`guest${accepted.length}@post.example`))).id);
    };
    for (const by of [3 * HOUR, -DAY, 400 * DAY, -399 * DAY, -20 * HOUR]) {
      clock.set(by);
      for (let n = 0; n < 5; n += 1) await send(first.client);
      await isLevel(first.client);
    }
    expect([takeOvers(first.logs), takeOvers(second.logs)]).toEqual([1, 0]);
    expect((await second.client.cluster.get()).nodes.map(({ node, role }) => [node, role])).toEqual([
      ['a', 'primary'],
      ['b', 'standby'],
    ]);
    await first.stop();
    await until(async () => ((await second.client.cluster.get().catch(() => undefined))?.role === 'primary' ? true : undefined));
    for (let n = 0; n < 5; n += 1) await send(second.client);
    for (const id of accepted) expect((await second.client.messages.get(id)).deliveries[0]?.state).toMatch(/accepted|queued/);
    // Ids sort by when they were made, on the machine that is behind, too.
    expect([...accepted].sort()).toEqual(accepted);
  } finally {
    await made.remove();
  }
});
