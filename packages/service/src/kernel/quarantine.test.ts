import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, expect, test } from '@jest/globals';
import { openKernel, type Kernel } from './database.js';
import { SILENT, steppedClock } from './test-kernel.js';
import { StoreUnavailable } from './unavailable.js';

const opened: Kernel[] = [];
afterAll(async () => {
  for (const kernel of opened) await kernel.close();
});

async function newQuarantine() {
  const migrations = fileURLToPath(new URL('../../drizzle', import.meta.url));
  const file = join(mkdtempSync(join(tmpdir(), 'verbalis-quarantine-')), 'a.sqlite');
  const clock = steppedClock(1000);
  const kernel = await openKernel({ file, migrations, log: SILENT, clock });
  opened.push(kernel);
  return { kernel, clock, own: kernel.quarantine };
}

test('an item is tried three times again, each later, and is quarantined then; what went well starts again', async () => {
  const { own, clock } = await newQuarantine();
  const fail = (): number | undefined => own.failed('calls', 'b1', new Error('no'));
  expect(own.restsUntil('calls', 'b1')).toBeUndefined();
  expect([fail(), own.restsUntil('calls', 'b1')]).toEqual([2000, 2000]);
  await clock.pass(1000);
  expect(fail()).toBe(7000);
  expect(own.restsUntil('calls', 'b2')).toBeUndefined();
  expect(own.restsUntil('other', 'b1')).toBeUndefined();
  expect(fail()).toBe(32_000);
  expect([fail(), own.restsUntil('calls', 'b1')]).toEqual([undefined, undefined]);
  expect(fail()).toBe(3000);
  own.succeeded('calls', 'b1');
  expect(fail()).toBe(3000);
});

test('a database that cannot be written says nothing of an item', async () => {
  const { own } = await newQuarantine();
  const fault = new StoreUnavailable('The disk is full.');
  expect(() => own.failed('calls', 'b1', fault)).toThrow(fault);
  expect(own.restsUntil('calls', 'b1')).toBeUndefined();
});

test('items are listed by space, retried into their queue, dropped, and forgotten', async () => {
  const { kernel, own, clock } = await newQuarantine();
  const back: unknown[] = [];
  const dropped: unknown[] = [];
  let changes = 0;
  own.onChange(() => (changes += 1));
  own.register('calls', {
    retry: (_tx, { payload }) => back.push(payload),
    drop: (_tx, { payload }) => dropped.push(payload),
  });
  const put = (key: string, space: string | undefined) =>
    kernel.write((tx) => {
      own.put(tx, {
        worker: 'calls',
        item: { key, space, title: `Call ${key}`, payload: { key } },
        error: new Error(`no ${key}`),
        id: `q${key}`,
      });
    });
  await put('1', 'harbour');
  await put('2', undefined);
  await put('3', 'drydock');
  // The same item again stays one.
  await kernel.write((tx) => {
    own.put(tx, {
      worker: 'calls',
      item: { key: '1', space: 'harbour', title: 'Call 1', payload: { key: '1b' } },
      error: 'plain text',
      id: 'q9',
    });
  });
  const list = (space: string, unowned: boolean) => own.list({ space, unowned, limit: 10 }).map(({ id }) => id);
  expect([list('harbour', false), list('harbour', true), list('drydock', false)]).toEqual([['q1'], ['q2', 'q1'], ['q3']]);
  expect(own.list({ space: 'harbour', unowned: true, limit: 10, before: 'q2' }).map(({ error }) => error)).toEqual(['plain text']);
  expect(own.find({ space: 'drydock', unowned: false }, 'q1')).toBeUndefined();
  expect(own.counts().map(({ space, n }) => [space, n])).toEqual([
    [null, 1],
    ['drydock', 1],
    ['harbour', 1],
  ]);
  const item = (id: string) => own.list({ space: 'harbour', unowned: true, limit: 10 }).find((item) => item.id === id);
  const [first, second] = [item('q1')!, item('q2')!];
  await kernel.write((tx) => {
    own.retry(tx, first);
  });
  await kernel.write((tx) => {
    own.drop(tx, second);
  });
  expect([back, dropped, changes]).toEqual([[{ key: '1b' }], [{ key: '2' }], 6]);
  expect(await kernel.write((tx) => own.forget(tx, clock.now()))).toBe(0);
  expect(await kernel.write((tx) => own.forget(tx, clock.now() + 1))).toBe(1);
  expect(own.counts()).toEqual([]);
});

test('a retry that throws leaves the item where it is; one that nobody takes back is refused', async () => {
  const { kernel, own } = await newQuarantine();
  own.register('calls', {
    retry: () => {
      throw new Error('still no');
    },
  });
  for (const worker of ['calls', 'gone'])
    await kernel.write((tx) => {
      own.put(tx, { worker, item: { key: 'k', space: 'harbour', title: 'x', payload: {} }, error: new Error('no'), id: `q-${worker}` });
    });
  for (const one of own.list({ space: 'harbour', unowned: false, limit: 10 }))
    await expect(
      kernel.write((tx) => {
        own.retry(tx, one);
      }),
    ).rejects.toThrow(one.worker === 'calls' ? 'still no' : 'No worker "gone" takes items back.');
  expect(own.counts()).toHaveLength(2);
});
