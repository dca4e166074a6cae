import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { Client } from '@verbalis/client';
import { rebuild } from '@verbalis/service/copies';
import { startBrokers, type Brokers } from './support/brokers.js';
import { makeMachines, type Machine } from './support/cluster.js';
import { booking, until } from './support/service.js';
import { hashesOf } from './support/tables.js';

let brokers: Brokers;
beforeAll(async () => {
  brokers = await startBrokers({ count: 1 });
});
afterAll(() => brokers.stop());

const copiesOf = (machine: Machine): string => join(machine.config, '../copies');
const isCopied = (client: Client) =>
  until(async () => {
    const { state, behind, snapshotUnderWay } = await client.copies.get();
    return state === 'copying' && behind === 0 && !snapshotUnderWay ? true : undefined;
  });
const isLevel = (client: Client) =>
  until(async () => {
    const found = await client.cluster.get().catch(() => undefined);
    return found?.state === 'healthy' && found.nodes.every(({ record }) => record === found.log?.last) ? true : undefined;
  });

test('the primary copies its changes beside the log; who takes over goes on with copies of its own', async () => {
  const made = await makeMachines(brokers, { change: { copies: { folder: 'copies' } } });
  try {
    const [a, b] = made.machines;
    const first = await a!.run();
    const second = await b!.run();
    await isLevel(first.client);
    for (let n = 0; n < 20; n += 1) await first.client.messages.send(booking(`guest${n}@post.example`));
    await isCopied(first.client);
    // A standby has the log, and needs no copies.
    expect(existsSync(copiesOf(b!))).toBe(false);
    await first.stop();
    await until(async () => ((await second.client.cluster.get().catch(() => undefined))?.role === 'primary' ? true : undefined));
    for (let n = 20; n < 40; n += 1) await second.client.messages.send(booking(`guest${n}@post.example`));
    await isCopied(second.client);
    await second.stop();
    for (const machine of [a!, b!]) {
      const file = join(machine.config, '../made-of-copies.sqlite');
      rebuild({ folder: copiesOf(machine), at: undefined, to: file });
      expect(hashesOf(file)).toEqual(hashesOf(machine.database));
    }
    const messages = (machine: Machine) => Number(hashesOf(join(machine.config, '../made-of-copies.sqlite'))['messages']?.split(' ')[0]);
    expect([messages(a!), messages(b!)]).toEqual([20, 40]);
  } finally {
    await made.remove();
  }
});
