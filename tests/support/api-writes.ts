import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Client } from '@verbalis/client';
import { booking } from './service.js';

/** A write of the API: what is made ready first, then what is tried. */
export type ApiWrite = readonly [name: string, ready: () => Promise<() => Promise<unknown>>];

let n = 0;
const later = (): string => new Date(Date.now() + 86_400_000).toISOString();
/** An address that no other write has. */
export const newAddress = (): string => `guest${(n += 1)}@post.example`;
const bounce = readFileSync(join(import.meta.dirname, '../fixtures/returns', 'README.md'), 'utf8');

/**
 * Each write of the API once.
 * @param client of a space that delivers through the provider "relay", as the operator
 * @param capturing of a space that captures
 */
export function apiWrites(client: () => Client, capturing: () => Client): readonly ApiWrite[] {
  return [
    ['send', async () => () => client().messages.send(booking(newAddress()))],
    ['send later', async () => () => client().messages.send({ ...booking(newAddress()), notBefore: later() })],
    [
      'send a batch',
      async () => () => client().messages.sendBatch({ mode: 'each', messages: [booking(newAddress()), booking(newAddress())] }),
    ],
    [
      'cancel',
      async () => {
        const { id } = await client().messages.send({ ...booking(newAddress()), notBefore: later() });
        return () => client().messages.cancel(id);
      },
    ],
    [
      'reschedule',
      async () => {
        const { id } = await client().messages.send({ ...booking(newAddress()), notBefore: later() });
        return () => client().messages.reschedule(id, { notBefore: later() });
      },
    ],
    [
      'hold',
      async () => {
        await client().messages.send({ ...booking(newAddress()), notBefore: later() });
        return () => client().holds.add({ template: 'booking-confirmed', labels: { n: String((n += 1)) } });
      },
    ],
    [
      'release',
      async () => {
        const { id } = await client().messages.send({ ...booking(newAddress()), notBefore: later(), labels: { n: String((n += 1)) } });
        const hold = await client().holds.add({ labels: { n: String(n) } });
        return async () => {
          await client().holds.release({ id: hold.id });
          await client().messages.get(id);
        };
      },
    ],
    [
      'cancel by a filter',
      async () => {
        await client().messages.send({ ...booking(newAddress()), notBefore: later(), labels: { n: String((n += 1)) } });
        const labels = { n: String(n) };
        return () => client().queue.cancel({ labels });
      },
    ],
    ['upload', async () => () => client().uploads.add(new Blob(['x'.repeat(300_000)]), { name: 'a.txt' })],
    ['suppress', async () => () => client().suppressions.add({ address: newAddress() })],
    [
      'lift',
      async () => {
        const { id } = await client().suppressions.add({ address: newAddress() });
        return () => client().suppressions.lift(id, { note: 'x' });
      },
    ],
    ['import', async () => () => client().suppressions.import(`address\r\n${newAddress()}\r\n${newAddress()}\r\n`)],
    [
      'a return',
      async () => () => client().returns.add(Buffer.from(`From: a@b.example\r\nSubject: ${(n += 1)}\r\n\r\n${bounce.slice(0, 200)}`)),
    ],
    ['subscribe', async () => () => client().subscriptions.add({ url: 'http://127.0.0.1:9/', name: `s${(n += 1)}`, handshake: false })],
    [
      'pause a subscription',
      async () => {
        const { id } = await client().subscriptions.add({ url: 'http://127.0.0.1:9/', name: `s${(n += 1)}`, handshake: false });
        return () => client().subscriptions.pause(id);
      },
    ],
    [
      'change a subscription',
      async () => {
        const { id } = await client().subscriptions.add({ url: 'http://127.0.0.1:9/', name: `s${(n += 1)}`, handshake: false });
        return () => client().subscriptions.change(id, { filter: 'type = failed' });
      },
    ],
    [
      'remove a subscription',
      async () => {
        const { id } = await client().subscriptions.add({ url: 'http://127.0.0.1:9/', name: `s${(n += 1)}`, handshake: false });
        return () => client().subscriptions.remove(id);
      },
    ],
    ['set a rule', async () => () => client().alerts.setRule(`rule-${(n += 1)}`, { count: 5 })],
    [
      'remove a rule',
      async () => {
        const name = `rule-${(n += 1)}`;
        await client().alerts.setRule(name, { count: 5 });
        return () => client().alerts.removeRule(name);
      },
    ],
    ['add a key', async () => () => client().keys.add({ name: 'x', scopes: ['send'] })],
    ['add a domain', async () => () => client().domains.add({ name: `host${(n += 1)}.example`, algorithms: ['ed25519-sha256'] })],
    ['pause a provider', async () => () => client().providers.pause('relay')],
    ['resume a provider', async () => () => client().providers.resume('relay')],
    ['clear captured mail', async () => () => capturing().captured.clear()],
  ];
}
