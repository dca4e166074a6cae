import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { replyLocal } from '@verbalis/core/returns';
import { handWorkers, steppedClock } from '../../kernel/test-kernel.js';
import { openTestStore, type TestStore } from '../../records/test-store.js';
import { inboxesOf } from './inboxes.js';
import { inboundWork } from './reading.js';
import { inboundReceiver } from './receiver.js';

const HOST = 'returns.ferries.example';
const DAY = 86_400_000;
const START = Date.UTC(2026, 2, 10);
const secret = Buffer.from('a secret of the test');
let opened: TestStore;
let clock: ReturnType<typeof steppedClock>;
beforeAll(async () => {
  clock = steppedClock(START);
  opened = await openTestStore(clock);
});
afterAll(() => opened.close());

const email = (from: string, body = 'Hello.'): Buffer =>
  Buffer.from(`From: ${from}\r\nTo: help@${HOST}\r\nSubject: A question\r\nMessage-ID: <${from}>\r\n\r\n${body}\r\n`);

/** The feature without its sockets; `isBroken` keeps it from writing what it has read. */
function feature(state: { isBroken: boolean } = { isBroken: false }) {
  const { store } = opened;
  const hands = handWorkers();
  const events = {
    ...store.events,
    append: (...input: Parameters<typeof store.events.append>) => {
      if (state.isBroken) throw new Error('The event could not be made.');
      return store.events.append(...input);
    },
  };
  const work = inboundWork({
    store: { ...store, events },
    clock,
    workers: hands.workers,
    consent: { consenting: { change: () => false }, wayOutOf: () => undefined },
    nameServers: undefined,
    isSame: (a, b) => a === b,
    reported: () => undefined,
  });
  const receiver = inboundReceiver({
    store,
    clock,
    inboxOf: inboxesOf({ addresses: [{ address: `help@${HOST}`, space: 'harbour', name: 'help' }] }, (host) => host === HOST),
    isReturnHost: (host) => host === HOST,
    secret,
    perHour: 3,
    arrived: work.arrived,
  });
  const keep = async (from: string, to = `help@${HOST}`, body?: string) => {
    const [kept] = await receiver.keep({
      bytes: email(from, body),
      envelopeFrom: from,
      to: [to],
      hello: 'mx',
      address: '192.0.2.1',
      source: 'mail',
    });
    return kept?.id ?? '';
  };
  return { store, work, receiver, keep, step: () => hands.settle(() => clock.now()) };
}

describe('inboxes', () => {
  const of = inboxesOf(
    {
      addresses: [
        { address: 'Help@host.example', space: 'a', name: 'help' },
        { address: 'lost+*@host.example', space: 'a', name: 'lost' },
        { address: '*-team-*@host.example', space: 'b', name: 'team' },
        { address: '*@other.example', space: 'b', name: 'all' },
        { address: 'lost+vip@host.example', space: 'c', name: 'vip' },
        { address: 'abuse@mapped.example', space: 'c', name: 'abuse' },
      ],
    },
    (host) => host === HOST || host === 'mapped.example',
  );
  test.each([
    ['help@HOST.example', 'a', 'help'],
    ['lost+scarf@host.example', 'a', 'lost'],
    ['lost+@host.example', 'a', 'lost'],
    ['lost+vip@host.example', 'c', 'vip'],
    ['my-team-x@host.example', 'b', 'team'],
    ['anything.at.all@other.example', 'b', 'all'],
    [`postmaster@${HOST}`, null, 'postmaster'],
    [`ABUSE@${HOST}`, null, 'abuse'],
    ['abuse@mapped.example', 'c', 'abuse'],
  ])('%s', (address, space, name) => {
    expect(of(address)).toEqual({ space, name });
  });
  test.each([
    'lost@host.example',
    'help@host.example.evil.example',
    'xhelp@host.example',
    '-team@host.example',
    'postmaster@elsewhere.example',
    'nobody',
    '',
  ])('%s is none of ours', (address) => {
    expect(of(address)).toBeUndefined();
  });
});

test('an email is kept before it is read; a start after a kill reads it', async () => {
  const id = await feature().keep('kept@post.example');
  expect(opened.store.inbound.find(id)).toMatchObject({ state: 'arrived', size: email('kept@post.example').length });
  // Another process begins where that one ended.
  const next = feature();
  await next.step();
  expect(opened.store.inbound.find(id)).toMatchObject({ state: 'read', from: 'kept@post.example', subject: 'A question' });
  await next.work.stop();
});

test('what cannot be written waits in quarantine with its bytes, holds up nobody, and can be retried', async () => {
  const state = { isBroken: true };
  const { store, work, keep, step } = feature(state);
  const id = await keep('stuck@post.example');
  for (let i = 0; i < 5; i += 1) {
    await step();
    await clock.pass(40_000);
  }
  expect(store.inbound.find(id)).toMatchObject({ state: 'unread' });
  const [item] = store.quarantine.list({ space: 'harbour', unowned: false, limit: 10 });
  expect(item).toMatchObject({ worker: 'inbound', key: id, error: 'The event could not be made.' });
  state.isBroken = false;
  const other = await keep('after@post.example');
  await step();
  expect(store.inbound.find(other)).toMatchObject({ state: 'read' });
  await store.write((tx) => {
    store.quarantine.retry(tx, item!);
  });
  await step();
  expect(store.inbound.find(id)).toMatchObject({ state: 'read', from: 'stuck@post.example' });
  await work.stop();
});

test('too many emails of one sender are deferred, and accepted an hour later', async () => {
  const { receiver, keep, work } = feature();
  for (let i = 0; i < 3; i += 1) await keep('many@post.example', undefined, `${i}`);
  expect(receiver.answerTo(`help@${HOST}`, 'many@post.example')).toMatchObject({ code: 450 });
  expect(receiver.answerTo(`help@${HOST}`, 'other@post.example')).toMatchObject({ code: 250 });
  await clock.pass(3_600_001);
  expect(receiver.answerTo(`help@${HOST}`, 'many@post.example')).toMatchObject({ code: 250 });
  await work.stop();
});

test('a token of another service, or of a delivery that is gone, opens nothing', async () => {
  const { receiver, work } = feature();
  const id = 'd01m83nvyfhj8chwvmn57zjz7';
  expect(receiver.answerTo(`${replyLocal(secret, id)}@${HOST}`, 'a@post.example')).toBeUndefined();
  expect(receiver.answerTo(`${replyLocal(Buffer.from('another'), id)}@${HOST}`, 'a@post.example')).toBeUndefined();
  await work.stop();
});

test('bytes go first, then the rest; what waits in quarantine stays; answers go with their delivery', async () => {
  const { store, keep, step, work } = feature();
  const id = await keep('old@post.example');
  await step();
  const unread = await keep('waits@post.example');
  await store.write((tx) => {
    store.inbound.set(tx, unread, { state: 'unread' });
    store.inbound.set(tx, id, { deliveryId: 'd1' });
    store.inbound.addAnswer(tx, {
      inboundId: id,
      messageId: 'm1',
      space: 'harbour',
      address: 'old@post.example',
      isAutomatic: true,
      at: clock.now(),
    });
  });
  const after = clock.now() + DAY;
  await store.write((tx) => store.inbound.forgetBytes(tx, after));
  expect(store.inbound.find(id)).toMatchObject({ bytes: Buffer.alloc(0), content: { text: 'Hello.' } });
  expect(store.inbound.find(unread)?.bytes.length).toBeGreaterThan(0);
  await store.write((tx) => {
    store.inbound.forgetContentOf(tx, ['d1']);
  });
  expect(store.inbound.find(id)?.content).toMatchObject({ text: '', quoted: '', html: null });
  await store.write((tx) => store.inbound.forget(tx, after));
  expect(store.inbound.find(id)).toBeUndefined();
  expect(store.inbound.answersTo([id])).toEqual([]);
  expect(store.inbound.find(unread)).toBeDefined();
  const own = await keep('own@post.example');
  await store.write((tx) => {
    store.inbound.set(tx, own, { deliveryId: 'd2' });
    store.inbound.forgetOf(tx, ['d2']);
  });
  expect(store.inbound.find(own)).toBeUndefined();
  await work.stop();
});
