import { afterEach, expect, test } from '@jest/globals';
import { fairnessKey, ProviderRouter, USUAL_RETRIES } from '@verbalis/core/delivery';
import { pino } from 'pino';
import { workerGroup } from '../../kernel/index.js';
import { steppedClock } from '../../kernel/test-kernel.js';
import { openTestStore, testDelivery, testMessage, type TestStore } from '../../records/test-store.js';
import { Dispatcher } from './dispatcher.js';
import type { Handed, HandOverJob } from './hand-over.js';

const log = pino({ level: 'silent' });
const ACCEPTED: Handed = { outcome: { kind: 'accepted', phase: 'content', reply: undefined }, bytes: undefined };
const opened: { readonly dispatcher: Dispatcher; readonly store: TestStore }[] = [];
afterEach(async () => {
  for (const { dispatcher, store } of opened.splice(0)) {
    await dispatcher.stop();
    await store.close();
  }
});

/** A dispatcher on a store of its own, whose hand-over is the test's. */
async function dispatching(handOver: (job: HandOverJob) => Promise<Handed>, concurrency = 10) {
  const clock = steppedClock(1_000_000);
  const store = await openTestStore(clock);
  const router = new ProviderRouter(new Map([['relay', {}]]));
  const dispatcher = new Dispatcher({
    store: store.store,
    workers: workerGroup({ clock, log }),
    clock,
    log,
    outside: { allow: [], waitMs: 1000, mostBytes: 1000 },
    retries: USUAL_RETRIES,
    concurrency,
    leaseMs: 60_000,
    returnDomain: 'returns.example',
    returnSecret: Buffer.alloc(32, 1),
    handOver,
    unsubscribe: () => undefined,
    routeOf: () => [{ provider: 'relay', share: 1 }],
    router,
    suppressionFor: () => undefined,
    random: () => 0.5,
  });
  opened.push({ dispatcher, store });
  const add = (address: string, urgent: boolean): Promise<string> => {
    const message = testMessage(clock.now());
    const key = fairnessKey({ urgent, space: 'harbour', kept: false, topic: urgent ? 'account' : 'news' });
    const delivery = testDelivery(message, address, { fairnessKey: key });
    return store.store.write((tx) => {
      store.store.messages.insert(tx, { message, deliveries: [delivery], idempotency: undefined });
      tx.afterCommit(dispatcher.wake);
      return delivery.id;
    });
  };
  const settled = async (): Promise<void> => {
    for (let i = 0; i < 30; i += 1) {
      store.store.writeNow();
      await clock.pass(20);
      await new Promise((done) => setTimeout(done, 1));
    }
  };
  return { dispatcher, store, clock, router, add, settled };
}

test('slots are kept free for urgent mail: a bulk that hangs in all the others does not hold up a sign-in code', async () => {
  const hanging: (() => void)[] = [];
  let isOver = false;
  const began: string[] = [];
  const { dispatcher, add, settled, store } = await dispatching((job) => {
    began.push(job.delivery.address);
    if (isOver || !job.delivery.address.startsWith('reader')) return Promise.resolve(ACCEPTED);
    return new Promise((done) => hanging.push(() => done(ACCEPTED)));
  });
  for (let i = 0; i < 30; i += 1) await add(`reader${i}@post.example`, false);
  dispatcher.start();
  await settled();
  // A fifth of ten slots stays free.
  expect(began).toHaveLength(8);
  const code = await add('guest@post.example', true);
  await settled();
  expect(store.deliveries.find(code)?.state).toBe('accepted');
  isOver = true;
  for (const end of hanging) end();
});

test('an email that cannot be made is tried again, then waits in quarantine; those behind it go on, and a retry sends it', async () => {
  let isBroken = true;
  const tried: string[] = [];
  const { dispatcher, add, clock, settled, store, router } = await dispatching((job) => {
    tried.push(job.delivery.address);
    return isBroken && job.delivery.address.startsWith('broken')
      ? Promise.reject(new Error('no such template'))
      : Promise.resolve(ACCEPTED);
  });
  const broken = await add('broken@post.example', true);
  const good = await add('good@post.example', true);
  dispatcher.start();
  await settled();
  expect(store.deliveries.find(good)?.state).toBe('accepted');
  for (const wait of [1000, 5000, 30_000]) {
    await clock.pass(wait);
    await settled();
  }
  expect(tried.filter((text) => text.startsWith('broken'))).toHaveLength(4);
  const [item] = store.quarantine.list({ space: 'harbour', unowned: false, limit: 10 });
  expect(item).toMatchObject({ worker: 'queue', key: broken, title: 'Email to broken@post.example', error: 'no such template' });
  expect(store.deliveries.find(broken)).toMatchObject({ state: 'delayed', cause: 'system', nextAttemptAt: null, attempts: 0 });
  expect(store.deliveries.attempts(broken)).toEqual([]);
  // What was no fault of the provider's counts as none.
  expect(router.stateOf('relay', clock.now())).toEqual({ state: 'working', troubles: 0 });
  await clock.pass(3_600_000);
  await settled();
  expect(tried.filter((text) => text.startsWith('broken'))).toHaveLength(4);
  isBroken = false;
  await store.quarantine.retry(item!);
  await settled();
  expect(store.deliveries.find(broken)).toMatchObject({ state: 'accepted', attempts: 1 });
  expect(store.quarantine.list({ space: 'harbour', unowned: false, limit: 10 })).toEqual([]);
});

test('an email that is dropped from quarantine has failed, and says why', async () => {
  const { dispatcher, add, clock, settled, store } = await dispatching(() => Promise.reject(new Error('no such template')));
  const id = await add('broken@post.example', true);
  dispatcher.start();
  for (const wait of [0, 1000, 5000, 30_000]) {
    await clock.pass(wait);
    await settled();
  }
  const [item] = store.quarantine.list({ space: 'harbour', unowned: false, limit: 10 });
  await store.quarantine.drop(item!);
  expect(store.deliveries.find(id)).toMatchObject({ state: 'failed', nextAttemptAt: null });
  expect(store.deliveries.facts(id).at(-1)).toMatchObject({ kind: 'failed', diagnostic: 'The email could not be made: no such template' });
});

test('a jump of the clock past every lease sends nothing twice: what is under way here stays under way', async () => {
  const ends: (() => void)[] = [];
  let handed = 0;
  const { dispatcher, add, clock, settled, store } = await dispatching(() => {
    handed += 1;
    return new Promise((done) => ends.push(() => done(ACCEPTED)));
  });
  const id = await add('guest@post.example', true);
  dispatcher.start();
  await settled();
  await clock.pass(2 * 3_600_000);
  dispatcher.wake();
  await settled();
  expect(handed).toBe(1);
  ends[0]?.();
  await settled();
  expect(store.deliveries.find(id)).toMatchObject({ state: 'accepted', owner: null });
  expect(store.deliveries.attempts(id)).toMatchObject([{ number: 1, outcome: 'accepted' }]);
});
