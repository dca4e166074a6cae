import { afterEach, expect, test } from '@jest/globals';
import { fairnessKey, ProviderRouter, USUAL_RETRIES } from '@verbalis/core/delivery';
import { pino } from 'pino';
import { workerGroup } from '../../kernel/index.js';
import { steppedClock } from '../../kernel/test-kernel.js';
import { openTestStore, testDelivery, testMessage, type TestStore } from '../../records/test-store.js';
import { Dispatcher } from './dispatcher.js';
import type { Gate } from '../providers/index.js';
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
async function dispatching(handOver: (job: HandOverJob, gate: Gate) => Promise<Handed>, connections = 10) {
  const clock = steppedClock(1_000_000);
  const store = await openTestStore(clock);
  const router = new ProviderRouter(new Map([['relay', { connections }]]));
  const workers = workerGroup({ clock, log });
  const dispatcher = new Dispatcher({
    store: store.store,
    workers,
    clock,
    log,
    outside: { allow: [], waitMs: 1000, mostBytes: 1000 },
    retries: USUAL_RETRIES,
    giveUpMs: 120 * 3_600_000,
    elsewhereMs: Number.POSITIVE_INFINITY,
    returnHostFor: () => 'returns.example',
    returnSecret: Buffer.alloc(32, 1),
    handOver,
    linksOf: () => ({ wayOut: undefined, tracking: undefined, answersTo: undefined }),
    routeOf: () => [{ provider: 'relay', share: 1 }],
    router,
    changed: () => undefined,
    suppressionFor: () => undefined,
    readable: (message) => message,
    holding: { heldBy: () => undefined, keep: () => undefined, reasonOf: () => undefined },
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
    // On a busy machine what is under way may take many turns.
    for (let i = 0; i < 30 || store.store.busy() || workers.busy(); i += 1) {
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
  expect(router.stateOf('relay', clock.now())).toEqual({ state: 'working', underWay: 0 });
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

test('what is under way stays under way, whatever the clock shows', async () => {
  const ends: (() => void)[] = [];
  let handed = 0;
  const { dispatcher, add, clock, settled, store } = await dispatching(() => {
    handed += 1;
    return new Promise((done) => ends.push(() => done(ACCEPTED)));
  });
  const id = await add('guest@post.example', true);
  dispatcher.start();
  await settled();
  await clock.pass(26 * 3_600_000);
  dispatcher.wake();
  await settled();
  expect(handed).toBe(1);
  ends[0]?.();
  await settled();
  expect(store.deliveries.find(id)).toMatchObject({ state: 'accepted', owner: null });
  expect(store.deliveries.attempts(id)).toMatchObject([{ number: 1, outcome: 'accepted' }]);
});

test('what is canceled before its content leaves does not leave, and no attempt was made', async () => {
  const ready: (() => void)[] = [];
  const left: boolean[] = [];
  const { dispatcher, add, settled, store } = await dispatching(async (_job, gate) => {
    await new Promise<void>((go) => ready.push(go));
    left.push(await gate.mayLeave());
    return ACCEPTED;
  });
  const canceled = await add('guest@post.example', true);
  const sent = await add('other@post.example', true);
  dispatcher.start();
  await settled();
  expect(await store.deliveries.cancel(canceled, 5)).toBe(true);
  for (const go of ready) go();
  await settled();
  expect(left).toEqual([false, true]);
  expect(store.deliveries.find(canceled)).toMatchObject({ state: 'canceled', attempts: 0 });
  expect(store.deliveries.attempts(canceled)).toEqual([]);
  expect(store.deliveries.find(sent)).toMatchObject({ state: 'accepted', attempts: 1 });
});

test('an attempt is recorded before its content leaves; a stop waits for it, and for nothing that has not begun', async () => {
  let hasLeft = false;
  let end: (() => void) | undefined;
  const { dispatcher, add, settled, store } = await dispatching(async (job, gate) => {
    if (job.delivery.address.startsWith('slow')) return new Promise(() => undefined);
    expect(store.deliveries.attempts(job.delivery.id)).toEqual([]);
    expect(await gate.mayLeave()).toBe(true);
    hasLeft = true;
    expect(store.deliveries.attempts(job.delivery.id)).toMatchObject([{ outcome: null }]);
    await new Promise<void>((done) => (end = done));
    return ACCEPTED;
  });
  const slow = await add('slow@post.example', true);
  const id = await add('guest@post.example', true);
  dispatcher.start();
  await settled();
  expect(hasLeft).toBe(true);
  let hasStopped = false;
  const stopped = dispatcher.stop().then(() => (hasStopped = true));
  await settled();
  expect(hasStopped).toBe(false);
  end?.();
  await settled();
  await stopped;
  expect(store.deliveries.find(id)?.state).toBe('accepted');
  expect(store.deliveries.find(slow)).toMatchObject({ state: 'queued', attempts: 0, owner: null });
});

const outcomes: readonly [name: string, outcome: Handed['outcome'], expected: object, attempt: object][] = [
  [
    'trouble of a provider leaves the delivery queued',
    { kind: 'trouble', scope: 'provider', phase: 'connect', reply: undefined, reason: 'Connection refused.' },
    { state: 'queued', cause: null, avoid: 'relay' },
    { outcome: 'trouble', diagnostic: 'Connection refused.' },
  ],
  [
    'a request that no provider accepts is held, not failed',
    { kind: 'rejected', phase: 'answer', reply: { code: 400, enhanced: undefined, lines: ['field "x" is missing'] } },
    { state: 'delayed', cause: 'system', nextAttemptAt: null },
    { outcome: 'rejected', replyCode: 400 },
  ],
  [
    'an email that is too large for all providers has failed',
    { kind: 'trouble', scope: 'message', cause: 'too-large', phase: 'sender', reply: undefined, reason: 'too large' },
    { state: 'failed', cause: 'too-large' },
    { outcome: 'trouble' },
  ],
  [
    'an answer that was lost keeps it with its provider',
    { kind: 'uncertain', phase: 'content', reply: undefined, reason: 'no answer' },
    { state: 'delayed', unsettled: 'relay' },
    { outcome: 'uncertain' },
  ],
];
test.each(outcomes)('%s', async (_name, outcome, expected, attempt) => {
  const { dispatcher, add, settled, store } = await dispatching(async (_job, gate) => {
    await gate.mayLeave();
    return { outcome, bytes: undefined };
  });
  dispatcher.start();
  const id = await add('guest@post.example', true);
  for (let i = 0; i < 200 && (store.deliveries.attempts(id)[0]?.outcome ?? null) === null; i += 1)
    await new Promise((done) => setImmediate(done));
  expect(store.deliveries.find(id)).toMatchObject(expected);
  expect(store.deliveries.attempts(id)[0]).toMatchObject(attempt);
  await settled();
});

test('what no provider accepts for five days is given up, and says so', async () => {
  const down: Handed = {
    outcome: { kind: 'trouble', scope: 'provider', phase: 'connect', reply: undefined, reason: 'down' },
    bytes: undefined,
  };
  const { dispatcher, add, clock, settled, store } = await dispatching(() => Promise.resolve(down));
  // The first is what tries the provider; the second waits all the time.
  await add('first@post.example', true);
  const id = await add('guest@post.example', true);
  dispatcher.start();
  await settled();
  await clock.pass(119 * 3_600_000);
  await settled();
  expect(store.deliveries.find(id)?.state).toBe('queued');
  await clock.pass(2 * 3_600_000);
  // What was under way while the clock was moved ends first, in its own time.
  for (let i = 0; i < 2000 && store.deliveries.find(id)?.state === 'queued'; i += 1) {
    await clock.pass(1000);
    await settled();
  }
  expect(store.deliveries.find(id)).toMatchObject({ state: 'expired', nextAttemptAt: null });
  expect(store.deliveries.facts(id).at(-1)).toMatchObject({ kind: 'expired', cause: 'expired' });
});

test('an error after the content may have left is a doubt, and the delivery goes on', async () => {
  let isBroken = true;
  const { dispatcher, add, clock, settled, store } = await dispatching(async (_job, gate) => {
    await gate.mayLeave();
    if (isBroken) throw new Error('out of order');
    return ACCEPTED;
  });
  const id = await add('guest@post.example', true);
  dispatcher.start();
  await settled();
  expect(store.deliveries.attempts(id)).toMatchObject([{ outcome: 'uncertain', diagnostic: 'out of order' }]);
  isBroken = false;
  await clock.pass(60_000);
  await settled();
  expect(store.deliveries.find(id)).toMatchObject({ state: 'accepted', unsettled: 'relay', owner: null });
});
