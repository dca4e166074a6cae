import { existsSync, readdirSync, readFileSync, renameSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, describe, expect, test } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { checkIntegrity, restoreDatabase, startService, type Service } from '@verbalis/service';
import { rebuild } from '@verbalis/service/copies';
import { SYSTEM_CLOCK, takeSnapshot } from '@verbalis/service/kernel';
import { readConfig } from '@verbalis/service/settings';
import { apiWrites, newAddress } from './support/api-writes.js';
import { LIMITS } from './support/limits.js';
import { booking, OPERATOR, startTestService, temporaryFolder, until, type TestService } from './support/service.js';
import { hashesOf } from './support/tables.js';
import { scaled } from './support/scale.js';

const [WRITES, MOMENTS] = [scaled(250, 10_000), 5];

const opened: (() => void | Promise<void>)[] = [];
afterEach(async () => {
  for (const close of opened.splice(0).reverse()) await close();
});

async function copying(more: Record<string, unknown> = {}) {
  const copies = temporaryFolder();
  opened.push(copies.remove);
  const folder = join(copies.path, 'copies');
  const own = await startTestService({ change: { copies: { folder, ...more }, outside: { allow: ['127.0.0.1'] } } });
  opened.push(() => own.stop().catch(() => undefined));
  const operator = createClient({ url: own.service.url, key: OPERATOR, space: 'harbour' });
  await wholeOnce(operator);
  return { own, folder, scratch: copies.path, operator, database: join(own.folder, 'verbalis.sqlite') };
}

const lineagesIn = (folder: string): string[] => readdirSync(folder).filter((name) => /^[0-9a-f]{16}$/.test(name));

/** How many emails the provider has accepted. */
const count = ({ simulator }: TestService): number => [...simulator.seen.values()].reduce((sum, { taken }) => sum + taken, 0);

/** Until the first snapshot is there, and everything is copied. */
const wholeOnce = (operator: Client) =>
  until(async () => {
    const { state, behind, snapshotUnderWay } = await operator.copies.get();
    return state === 'copying' && behind === 0 && !snapshotUnderWay ? true : undefined;
  });

/** Writes of chance, of every kind that the API has. */
async function writeAtRandom(own: TestService, count: number, after: (i: number) => Promise<void>): Promise<void> {
  const client = createClient({ url: own.service.url, key: OPERATOR, space: 'harbour' });
  const capturing = createClient({ url: own.service.url, key: OPERATOR, space: 'drydock' });
  const writes = [
    ...apiWrites(
      () => client,
      () => capturing,
    ),
    // What is captured is in the index of words; what is erased is in none.
    ['capture', async () => () => capturing.messages.send(booking(newAddress()))],
    [
      'erase',
      async () => {
        const address = newAddress();
        await capturing.messages.send(booking(address));
        await until(() => (own.service.busy() ? undefined : true));
        return () => capturing.addresses.erase(address);
      },
    ],
  ] as const;
  let seed = 7;
  for (let i = 0; i < count; i += 1) {
    seed = (seed * 1103515245 + 12345) % 2 ** 31;
    const [, ready] = writes[seed % writes.length]!;
    await (
      await ready()
    )();
    await after(i);
  }
}

test(
  'a file that is made of the copies is the same as the database: now, and as it was',
  async () => {
    const { own, folder, scratch, database } = await copying();
    // What the database was at some moments.
    const models: { readonly at: number; readonly sequence: number; readonly tables: Record<string, string> }[] = [];
    const every = Math.floor(WRITES / MOMENTS);
    await writeAtRandom(own, WRITES, async (i) => {
      if (i % every !== every - 1) return;
      await until(() => (own.service.busy() ? undefined : true));
      const file = join(scratch, `model${i}.sqlite`);
      const { sequence } = takeSnapshot(database, file, Date.now());
      models.push({ at: Date.now(), sequence, tables: hashesOf(file) });
      rmSync(file);
      // What comes now has a later date.
      await until(() => (Date.now() > (models.at(-1)?.at ?? 0) ? true : undefined));
    });
    await own.service.stop();
    const now = join(scratch, 'now.sqlite');
    const whole = rebuild({ folder, at: undefined, to: now });
    expect(hashesOf(now)).toEqual(hashesOf(database));
    process.stderr.write(`copies: ${WRITES} writes, ${whole.records} records, ${whole.captured.length} captured\n`);
    let compared = 0;
    for (const { at, sequence, tables } of models) {
      const then = join(scratch, `then${at}.sqlite`);
      const built = rebuild({ folder, at, to: then });
      // A worker may have written between the copy and its date.
      if (built.sequence === sequence) {
        compared += 1;
        expect(hashesOf(then)).toEqual(tables);
      } else expect(built.sequence).toBeGreaterThan(sequence);
      rmSync(then);
    }
    expect(compared).toBeGreaterThan(0);
  },
  LIMITS.longTest,
);

describe('a restore', () => {
  test('holds what waited, and says why; what comes is sent; what is released is sent, what is canceled is not', async () => {
    const { own, folder, database } = await copying();
    const operator = createClient({ url: own.service.url, key: OPERATOR, space: 'harbour' });
    await operator.providers.pause('relay');
    const sent: { readonly id: string }[] = [];
    for (const name of ['a', 'b', 'c']) sent.push(await own.client.messages.send(booking(`${name}@post.example`)));
    const tomorrow = new Date(Date.now() + 86_400_000).toISOString();
    const later = await own.client.messages.send({ ...booking('later@post.example'), notBefore: tomorrow });
    await until(async () => ((await operator.copies.get()).behind === 0 ? true : undefined));
    const asOf = Date.now();
    await until(() => (Date.now() > asOf ? true : undefined));
    // After the copy that will be restored: everything is sent, and more is accepted.
    await operator.providers.resume('relay');
    for (const { id } of sent) await own.ended(id, 'accepted');
    const lost = await own.client.messages.send(booking('lost@post.example'));
    await own.ended(lost.id, 'accepted');
    expect(count(own)).toBe(4);
    await own.service.stop();

    const config = readConfig(join(own.folder, 'verbalis.yaml'), {});
    await expect(restoreDatabase({ config, source: { folder } })).rejects.toThrow('There is a database at');
    const restored = await restoreDatabase({ config, source: { folder, at: asOf }, replace: true });
    expect(restored).toMatchObject({ file: database, held: { harbour: 4 }, missing: 1, erased: 0 });
    expect(restored.replaced).toMatch(/\.before-/);
    expect(existsSync(restored.replaced ?? '')).toBe(true);
    expect(checkIntegrity(database, Date.now()).filter(({ wrong }) => wrong > 0)).toEqual([]);

    const again = await startService({ config, operatorSecret: OPERATOR });
    opened.push(() => again.stop());
    const client = createClient({ url: again.url, key: OPERATOR, space: 'harbour' });
    await client.providers.resume('relay');
    await expect(client.messages.get(lost.id)).rejects.toMatchObject({ problem: { status: 404 } });
    // What is accepted now goes.
    const fresh = await client.messages.send(booking('fresh@post.example'));
    await until(async () => ((await client.messages.get(fresh.id)).deliveries[0]?.state === 'accepted' ? true : undefined));
    expect(count(own)).toBe(5);
    const { holds } = await client.holds.list();
    expect(holds).toMatchObject([{ held: 4, restoredAsOf: new Date(restored.asOf).toISOString() }]);
    const { deliveries } = await client.holds.held({});
    expect(deliveries.map(({ messageId }) => messageId)).toEqual([...sent.map(({ id }) => id), later.id]);
    expect(deliveries.map(({ why }) => why)).toEqual([
      ...sent.map(() => expect.stringMatching(/^It was due by the time of the restore: it may have been sent/) as unknown),
      expect.stringMatching(/^Its time had not come/),
    ]);
    expect((await client.messages.get(sent[0]!.id)).deliveries[0]).toMatchObject({ state: 'queued' });
    // Of what is held, some is sent again because a person wants it, and the rest is not.
    const [hold] = holds;
    await client.queue.cancel({ hold: hold!.id, domain: 'nowhere.example' });
    expect((await client.holds.list()).holds).toHaveLength(1);
    await expect(client.holds.release({ id: hold!.id, domain: 'nowhere.example' })).resolves.toEqual({ released: [], deliveries: 0 });
    expect(await client.queue.cancel({ hold: hold!.id, labels: { n: 'x' } })).toEqual({ deliveries: 0, more: false });
    expect(await client.holds.release({ id: hold!.id, template: 'booking-confirmed' })).toEqual({ released: [], deliveries: 4 });
    for (const { id } of sent)
      await until(async () => ((await client.messages.get(id)).deliveries[0]?.state === 'accepted' ? true : undefined));
    expect(count(own)).toBe(8);
    expect((await client.holds.list()).holds).toEqual([]);
  });
});

test('a folder that is gone and comes back costs nothing but time, and its alert fires and is resolved', async () => {
  const { own, folder, operator } = await copying({ alertSeconds: 0.05 });
  const before = await own.client.messages.send(booking('before@post.example'));
  await own.ended(before.id, 'accepted');
  await wholeOnce(operator);
  const [lineage] = lineagesIn(folder);
  renameSync(folder, `${folder}.away`);
  const during = await own.client.messages.send(booking('during@post.example'));
  await own.ended(during.id, 'accepted');
  const status = await until(async () => {
    const found = await operator.copies.get();
    return found.problem === undefined ? undefined : found;
  });
  expect(status).toMatchObject({ state: 'behind', problem: expect.stringContaining('is its disk mounted?') as unknown });
  await until(async () =>
    (await operator.alerts.list()).alerts.some(({ rule, resolvedAt }) => rule === 'copies' && resolvedAt === undefined) ? true : undefined,
  );
  // Nothing was written beside it, on the disk of the database.
  expect(existsSync(folder)).toBe(false);
  renameSync(`${folder}.away`, folder);
  await wholeOnce(operator);
  await until(async () =>
    (await operator.alerts.list()).alerts.some(({ rule, resolvedAt }) => rule === 'copies' && resolvedAt !== undefined) ? true : undefined,
  );
  expect(lineagesIn(folder)).toEqual([lineage]);
  await until(async () => {
    const metrics = await (await fetch(`${own.service.url}/metrics`)).text();
    return metrics.includes('verbalis_copies_behind_records 0') ? true : undefined;
  });
});

test('changes that are missing in the folder begin another lineage, with a snapshot', async () => {
  const { own, folder, scratch, database } = await copying();
  const config = readConfig(join(own.folder, 'verbalis.yaml'), {});
  await own.service.stop();
  const [lineage] = lineagesIn(folder);
  for (const name of readdirSync(join(folder, lineage!))) if (name.startsWith('log-')) rmSync(join(folder, lineage!, name));
  const again: Service = await startService({ config, operatorSecret: OPERATOR });
  await wholeOnce(createClient({ url: again.url, key: OPERATOR, space: 'harbour' }));
  await again.stop();
  expect(lineagesIn(folder)).toHaveLength(2);
  const to = join(scratch, 'now.sqlite');
  rebuild({ folder, at: undefined, to });
  expect(hashesOf(to)).toEqual(hashesOf(database));
  // Without copies nothing is captured, and nothing is left of what was.
  own.rewrite((settings) => {
    delete settings['copies'];
  });
  const without = await startService({ config: readConfig(join(own.folder, 'verbalis.yaml'), {}), operatorSecret: OPERATOR });
  const status = await createClient({ url: without.url, key: OPERATOR, space: 'harbour' }).copies.get();
  await without.stop();
  expect(status).toMatchObject({ state: 'off' });
  expect(readFileSync(database).includes('change_log')).toBe(true);
});

test('what waits for a folder that is gone has a bound; when it is back, the copies begin anew and are whole', async () => {
  const { own, folder, scratch, operator, database } = await copying({ behindMiB: 1 });
  const [lineage] = lineagesIn(folder);
  renameSync(folder, `${folder}.away`);
  await operator.providers.pause('relay');
  const batch = Array.from({ length: 400 }, () => booking(newAddress()));
  // More than the bound, and then some more that is captured after it was given up.
  await until(async () => {
    await own.client.messages.sendBatch({ mode: 'all', messages: batch });
    return own.logs.some((line) => line.includes('the copies are too far behind')) ? true : undefined;
  });
  await own.client.messages.send(booking(newAddress()));
  renameSync(`${folder}.away`, folder);
  await wholeOnce(operator);
  expect(lineagesIn(folder)).toHaveLength(2);
  expect(lineagesIn(folder)).toContain(lineage);
  await own.service.stop();
  const to = join(scratch, 'now.sqlite');
  rebuild({ folder, at: undefined, to });
  expect(hashesOf(to)).toEqual(hashesOf(database));
});

test('copies are begun and ended by a reload; a disk that was replaced is taken when someone wants it', async () => {
  const copies = temporaryFolder();
  opened.push(copies.remove);
  const own = await startTestService({ change: { outside: { allow: ['127.0.0.1'] } } });
  opened.push(() => own.stop().catch(() => undefined));
  const operator = createClient({ url: own.service.url, key: OPERATOR, space: 'harbour' });
  const folder = join(copies.path, 'copies');
  expect(await operator.copies.get()).toMatchObject({ state: 'off' });
  await expect(operator.copies.snapshot()).rejects.toMatchObject({ problem: { status: 409 } });
  const reload = async (wanted: string | undefined): Promise<void> => {
    own.rewrite((settings) => {
      settings['copies'] = wanted === undefined ? {} : { folder: wanted };
    });
    await operator.configuration.reload();
  };
  await reload(folder);
  await wholeOnce(operator);
  await own.client.messages.send(booking(newAddress()));
  await reload(undefined);
  expect(await operator.copies.get()).toMatchObject({ state: 'off' });
  // This is in no log.
  await own.client.messages.send(booking(newAddress()));
  await reload(folder);
  await wholeOnce(operator);
  expect(lineagesIn(folder)).toHaveLength(2);
  rmSync(folder, { recursive: true });
  await own.client.messages.send(booking(newAddress()));
  await until(async () => ((await operator.copies.get()).problem === undefined ? undefined : true));
  expect(existsSync(folder)).toBe(false);
  await operator.copies.begin();
  await until(async () => (existsSync(folder) ? true : undefined));
  await wholeOnce(operator);
  await own.service.stop();
  const to = join(copies.path, 'now.sqlite');
  rebuild({ folder, at: undefined, to });
  expect(hashesOf(to)).toEqual(hashesOf(join(own.folder, 'verbalis.sqlite')));
});

test('a start with copies of yesterday is no trouble: the record that is always kept was copied long ago', async () => {
  const { own } = await copying({ alertSeconds: 0.2 });
  await own.service.stop();
  const config = readConfig(join(own.folder, 'verbalis.yaml'), {});
  const real = SYSTEM_CLOCK;
  const later = { ...real, now: () => real.now() + 86_400_000 };
  const again = await startService({ config, operatorSecret: OPERATOR, clock: later });
  opened.push(() => again.stop());
  const operator = createClient({ url: again.url, key: OPERATOR, space: 'harbour' });
  await wholeOnce(operator);
  expect((await operator.alerts.list()).alerts.filter(({ rule }) => rule === 'copies')).toEqual([]);
});
