import { fairnessKey, readFairnessKey } from '@verbalis/core/delivery';
import { describe as group, expect, test } from '@jest/globals';
import { wholeOf } from '@verbalis/core/mime';
import fc from 'fast-check';
import { eq } from 'drizzle-orm';
import {
  deliveries as deliveriesTable,
  type DeliveryRow,
  type HeldAttempt,
  type MessageRow,
  type NewFact,
} from '../features/messages/index.js';
import { newId, idSince } from '../kernel/index.js';
import { NOTIFIED } from '../features/alerts/index.js';
import { openTestStore, testDelivery, testMessage, type TestStore } from './test-store.js';

const DAY = 86_400_000;

/** A message with deliveries to these addresses, as it is accepted. */
async function accepted(
  store: TestStore,
  at: number,
  addresses: readonly string[],
  more: Partial<MessageRow> = {},
): Promise<{ message: MessageRow; deliveries: DeliveryRow[] }> {
  const message = testMessage(at, { topic: 'bookings', ...more });
  const deliveries = addresses.map((address) => testDelivery(message, address));
  await store.messages.insert({ message, deliveries, idempotency: undefined });
  return { message, deliveries };
}

const testSession = (id: string, createdAt: number, expiresAt: number) => ({
  id,
  kind: 'session' as const,
  personId: null,
  way: 'secret' as const,
  createdAt,
  expiresAt,
  address: '127.0.0.1',
  agent: 'test',
});

const fact = (delivery: DeliveryRow, kind: NewFact['kind'], at: number, more: Partial<NewFact> = {}): NewFact => ({
  id: `${delivery.id}:${kind}:${at}`,
  deliveryId: delivery.id,
  kind,
  source: 'return',
  at,
  cause: undefined,
  status: undefined,
  replyCode: undefined,
  diagnostic: undefined,
  ...more,
});

test('a line is read as it was named, whatever its topic', async () => {
  const text = fc.stringMatching(/^[a-z][a-z0-9/-]{0,12}$/);
  fc.assert(
    fc.property(
      fc.boolean(),
      fc.stringMatching(/^[a-z][a-z0-9-]{0,12}$/),
      fc.boolean(),
      fc.option(text, { nil: undefined }),
      (urgent, space, kept, topic) => {
        expect(readFairnessKey(fairnessKey({ urgent, space, kept, topic }))).toEqual({ urgent, space, kept, topic });
      },
    ),
  );
  expect(
    fairnessKey({ urgent: true, space: 'z', kept: false, topic: undefined }) <
      fairnessKey({ urgent: false, space: 'a', kept: false, topic: undefined }),
  ).toBe(true);
});

group('messages', () => {
  test('are listed newest first, by what is asked for, a page at a time', async () => {
    const store = await openTestStore();
    const made = await Promise.all(
      Array.from({ length: 30 }, (_, i) =>
        accepted(
          store,
          DAY + i * 1000,
          [i % 3 === 0 ? 'asa@post.example' : `guest${i}@mail.test`, ...(i === 7 ? ['liv@post.example'] : [])],
          {
            template: i % 2 === 0 ? 'booking-confirmed' : 'sign-in-code',
            reference: `SM-${i % 5}`,
          },
        ),
      ),
    );
    const ids = made.map(({ message }) => message.id).reverse();
    const list = (more: object) => store.messages.list({ space: 'harbour', limit: 100, ...more }).rows.map((row) => row.id);
    expect(list({})).toEqual(ids);
    expect([...list({ limit: 10 }), ...list({ limit: 10, before: ids[9] }), ...list({ limit: 10, before: ids[19] })]).toEqual(ids);
    expect(list({ address: 'asa@post.example' })).toEqual(ids.filter((_, i) => (29 - i) % 3 === 0));
    expect(list({ address: 'liv@post.example' })).toEqual([ids[22]]);
    expect(list({ template: 'sign-in-code', reference: 'SM-1' })).toEqual(ids.filter((_, i) => (29 - i) % 2 === 1 && (29 - i) % 5 === 1));
    expect(list({ address: 'asa@post.example', template: 'booking-confirmed', limit: 2 })).toEqual(
      ids.filter((_, i) => (29 - i) % 6 === 0).slice(0, 2),
    );
    expect(list({ from: DAY + 10_000, to: DAY + 12_000 })).toEqual([ids[18], ids[19]]);
    expect(list({ state: 'failed' })).toEqual([]);
    expect(store.messages.list({ space: 'pier', limit: 10 })).toEqual({ rows: [], next: undefined, partial: false });
    expect(store.messages.find('pier', ids[0] ?? '')).toBeUndefined();
  });

  test('the first bytes of an email stay', async () => {
    const store = await openTestStore();
    const { deliveries } = await accepted(store, 1, ['asa@post.example']);
    const [one] = deliveries;
    await store.messages.keepMail(one?.id ?? '', Buffer.from('first'));
    await store.messages.keepMail(one?.id ?? '', Buffer.from('second'));
    expect(store.messages.mail(one?.id ?? '')?.toString()).toBe('first');
  });
});

group('the end of an attempt', () => {
  const end = {
    endedAt: 5,
    outcome: 'accepted',
    phase: 'content',
    replyCode: 250,
    status: null,
    diagnostic: null,
    providerId: null,
  } as const;
  const attemptOf = (delivery: DeliveryRow, more: Partial<HeldAttempt> = {}): HeldAttempt => ({
    id: newId('a', 10),
    deliveryId: delivery.id,
    owner: 'w',
    number: 1,
    provider: 'relay',
    startedAt: 4,
    hasBegun: false,
    ...more,
  });
  const begun = async (store: TestStore, delivery: DeliveryRow, more: Partial<HeldAttempt> = {}): Promise<HeldAttempt> => {
    const attempt = attemptOf(delivery, more);
    expect(await store.deliveries.begin(attempt, 10)).toBe(true);
    return { ...attempt, hasBegun: true };
  };

  test('the first fact: state, owner and next attempt in one; the same again changes nothing', async () => {
    const store = await openTestStore();
    const [delivery] = (await accepted(store, 1, ['asa@post.example'])).deliveries;
    const attempt = await begun(store, delivery!);
    expect(store.deliveries.find(delivery!.id)).toMatchObject({ owner: 'w', nextAttemptAt: null, attempts: 1 });
    const said = fact(delivery!, 'accepted', 20, { id: `${attempt.id}:accepted`, source: 'attempt' });
    await store.deliveries.endAttempt(attempt, { end, fact: said, next: { at: undefined }, recordedAt: 20 });
    const settled = { state: 'accepted', owner: null, nextAttemptAt: null, decidedBy: said.id };
    expect(store.deliveries.find(delivery!.id)).toMatchObject(settled);
    await store.deliveries.endAttempt(attempt, { end, fact: said, next: { at: 99 }, recordedAt: 21 });
    expect(store.deliveries.facts(delivery!.id)).toHaveLength(1);
    expect(store.deliveries.attempts(delivery!.id)).toMatchObject([{ outcome: 'accepted', startedAt: 4, endedAt: 5 }]);
  });

  test('an attempt whose content never left is one row, written at its end', async () => {
    const store = await openTestStore();
    const [delivery] = (await accepted(store, 1, ['asa@post.example'])).deliveries;
    const refused = { ...end, outcome: 'refused', phase: 'recipient' } as const;
    const said = fact(delivery!, 'failed', 20, { source: 'attempt', cause: 'mailbox-unknown' });
    expect(
      await store.deliveries.endAttempt(attemptOf(delivery!), { end: refused, fact: said, next: { at: undefined }, recordedAt: 20 }),
    ).toBe(true);
    expect(store.deliveries.find(delivery!.id)).toMatchObject({ state: 'failed', attempts: 1, nextAttemptAt: null });
    expect(store.deliveries.attempts(delivery!.id)).toMatchObject([{ number: 1, outcome: 'refused', provider: 'relay' }]);
  });

  test('nothing leaves that was canceled, has passed its deadline, or is under way', async () => {
    const store = await openTestStore();
    const { deliveries } = await accepted(store, 1, ['asa@post.example', 'liv@post.example', 'una@post.example']);
    const [canceled, late, twice] = deliveries;
    await store.deliveries.cancel(canceled!.id, 5);
    expect(await store.deliveries.begin(attemptOf(canceled!), 10)).toBe(false);
    await store.deliveries.reschedule(late!.id, 5);
    await store.store.write((tx) => tx.db.update(deliveriesTable).set({ expiresAt: 9 }).where(eq(deliveriesTable.id, late!.id)).run());
    expect(await store.deliveries.begin(attemptOf(late!), 10)).toBe(false);
    await begun(store, twice!);
    expect(await store.deliveries.begin(attemptOf(twice!, { number: 2 }), 10)).toBe(false);
    expect(deliveries.flatMap(({ id }) => store.deliveries.attempts(id))).toHaveLength(1);
  });

  test('a delay keeps its next attempt, and a bounce that was faster than the end of its attempt is not forgotten', async () => {
    const store = await openTestStore();
    const [late, fast] = (await accepted(store, 1, ['asa@post.example', 'liv@post.example'])).deliveries;
    await store.deliveries.endAttempt(attemptOf(late!), {
      end: { ...end, outcome: 'deferred' },
      fact: fact(late!, 'delayed', 20, { source: 'attempt' }),
      next: { at: 500, avoid: 'relay' },
      recordedAt: 20,
    });
    expect(store.deliveries.find(late!.id)).toMatchObject({ state: 'delayed', nextAttemptAt: 500, avoid: 'relay', owner: null });
    const attempt = await begun(store, fast!);
    await store.deliveries.record(fact(fast!, 'failed', 15, { cause: 'mailbox-full' }), 15);
    await store.deliveries.endAttempt(attempt, {
      end,
      fact: fact(fast!, 'accepted', 20, { source: 'attempt' }),
      next: { at: undefined },
      recordedAt: 20,
    });
    expect(store.deliveries.find(fast!.id)).toMatchObject({
      state: 'failed',
      cause: 'mailbox-full',
      owner: null,
      nextAttemptAt: null,
    });
  });

  test('what is no longer so writes nothing: another attempt, or another run, has the delivery', async () => {
    const store = await openTestStore();
    const [delivery] = (await accepted(store, 1, ['asa@post.example'])).deliveries;
    const old = await begun(store, delivery!);
    // The service ends and starts again: the first attempt is in doubt.
    await store.deliveries.recover(50);
    expect(store.deliveries.find(delivery!.id)).toMatchObject({ owner: null, nextAttemptAt: 50, unsettled: 'relay' });
    const again = await begun(store, delivery!, { owner: 'next', number: 2 });
    const said = fact(delivery!, 'accepted', 20, { id: `${old.id}:accepted`, source: 'attempt' });
    const late = { end, fact: said, next: { at: undefined }, recordedAt: 20 };
    for (const other of [old, { ...again, owner: 'other' }, { ...again, number: 3 }, { ...again, hasBegun: false }])
      expect(await store.deliveries.endAttempt(other, late)).toBe(false);
    expect(store.deliveries.facts(delivery!.id)).toEqual([]);
    expect(store.deliveries.find(delivery!.id)).toMatchObject({ state: 'queued', owner: 'next', attempts: 2 });
    expect(store.deliveries.attempts(delivery!.id).map((attempt) => attempt.outcome)).toEqual(['uncertain', null]);
    expect(store.deliveries.countedAttempts(delivery!.id)).toBe(1);
    expect(await store.deliveries.endAttempt(again, late)).toBe(true);
    // What may have been sent stays known.
    expect(store.deliveries.find(delivery!.id)).toMatchObject({ state: 'accepted', unsettled: 'relay' });
  });

  test('each fact is an event, in the order of becoming known', async () => {
    const store = await openTestStore();
    const { deliveries } = await accepted(store, 1, ['asa@post.example']);
    const [one] = deliveries;
    if (one === undefined) throw new Error('no delivery');
    await store.deliveries.record(fact(one, 'accepted', 30), 30);
    await store.deliveries.record(fact(one, 'delivered', 20), 31);
    await store.deliveries.record(fact(one, 'delivered', 20), 32);
    const seq = await store.events.append({ id: 'x', space: 'harbour', kind: 'test', at: 40, data: { text: 'hello' } });
    const known = store.events.after(0, 10);
    expect(known.map((event) => [event.seq, event.kind])).toEqual([
      [1, 'accepted'],
      [2, 'delivered'],
      [seq, 'test'],
    ]);
    expect(known[1]?.fact).toMatchObject({
      address: 'asa@post.example',
      template: 'booking-confirmed',
      topic: 'bookings',
      messageId: one.messageId,
    });
    expect(store.events.bareAfter(1, 10).map((event) => event.kind)).toEqual(['delivered', 'test']);
    expect(store.events.list({ space: 'harbour', limit: 10, kinds: ['delivered'] }).events).toHaveLength(1);
    // A look that is narrowed to deliveries, or to values of theirs, leaves out nothing that is about no delivery: its data may have the same.
    const kindsOf = (more: object) => store.events.list({ space: 'harbour', limit: 10, ...more }).events.map(({ kind }) => kind);
    expect(kindsOf({ deliveryIds: [] })).toEqual(['test']);
    expect(kindsOf({ deliveryIds: [one.id] })).toEqual(['test', 'delivered', 'accepted']);
    expect(kindsOf({ only: { template: ['another'] } })).toEqual(['test']);
    expect(kindsOf({ only: { template: ['booking-confirmed'], cause: ['policy'] } })).toEqual(['test']);
    expect(kindsOf({ only: { topic: ['bookings'], domain: ['post.example'] }, kinds: ['accepted', 'test'] })).toEqual(['test', 'accepted']);
    expect(store.events.list({ space: 'harbour', limit: 2 })).toMatchObject({ next: 2, looked: 2 });
    expect([store.events.before(30), store.events.before(31), store.events.before(99)]).toEqual([0, 1, 3]);
    expect(await store.events.forget(32, 10)).toBe(2);
    expect(store.events.after(0, 10).map((event) => event.seq)).toEqual([3]);
    expect(store.events.before(1)).toBe(2);
  });
});

group('contents', () => {
  test('come back piece by piece as they were, and count only once they have ended', async () => {
    const store = await openTestStore();
    const bytes = Buffer.alloc(700_000, 'abcdefg');
    const { id, size } = await store.contents.keep(bytes, 5);
    expect(size).toBe(bytes.length);
    expect([...store.contents.bytes(id).chunks()].map((chunk) => chunk.length)).toEqual([262_144, 262_144, 175_712]);
    expect(wholeOf(store.contents.bytes(id)).equals(bytes)).toBe(true);
    const begun = await store.contents.begin(5);
    await store.contents.append(begun, Buffer.from('half'));
    expect(store.contents.find(begun)).toBeUndefined();
    await expect(store.contents.end(begun, { hash: 'x', size: 5 })).rejects.toThrow('5 bytes came in');
    expect(await store.contents.forgetUnfinished(6)).toBe(1);
    expect(await store.contents.forgetUnfinished(6)).toBe(0);
  });
});

group('editions', () => {
  const folder = (text: string) =>
    new Map([
      ['mail.yaml', Buffer.from('name: x\n')],
      ['templates/a/message.md', Buffer.from(text)],
    ]);
  test('only changes make a new one, what is shared is kept once, and any can be used again', async () => {
    const store = await openTestStore();
    const first = await store.editions.publish('harbour', folder('one'), 1);
    expect(await store.editions.publish('harbour', folder('one'), 2)).toEqual(first);
    const second = await store.editions.publish('harbour', folder('two'), 3);
    expect([first.number, second.number, store.editions.currentNumber('harbour')]).toEqual([1, 2, 2]);
    expect(first.manifest['mail.yaml']).toBe(second.manifest['mail.yaml']);
    await store.editions.use('harbour', 1);
    expect(store.editions.current('harbour')?.number).toBe(1);
    // The edition that was in use before is published again: it differs from the one in use, so it is a third.
    expect((await store.editions.publish('harbour', folder('two'), 4)).number).toBe(3);
    expect(store.editions.list('harbour').map(({ number }) => number)).toEqual([3, 2, 1]);
    expect(Buffer.from(store.editions.files(first).get('templates/a/message.md') ?? '').toString()).toBe('one');
    expect(store.editions.current('pier')).toBeUndefined();
  });
});

group('captured mail', () => {
  const keep = (store: TestStore, n: number, more: object = {}) =>
    store.captured.keep({
      id: newId('l', n * 1000),
      space: 'drydock',
      deliveryId: `d${n}`,
      messageId: `m${n}`,
      address: n % 2 === 0 ? 'asa@post.example' : 'liv@post.example',
      sender: 'Harbour <harbour@saltmarsh-ferries.example>',
      subject: `Booking SM-${1000 + n}`,
      receivedAt: n * 1000,
      size: 10,
      attachments: 0,
      bytes: Buffer.from(`mail ${n}`),
      words: `Booking SM-${1000 + n} ferry to Tern Island with Ása and 24 others`,
      ...more,
    });

  test('is found by words in any order and case, by parts, and by accents left out', async () => {
    const store = await openTestStore();
    for (let n = 1; n <= 6; n += 1) expect(await keep(store, n)).toBe(true);
    expect(await keep(store, 6)).toBe(false);
    const found = (find: string) => store.captured.list({ space: 'drydock', find }, 10).map((captured) => captured.subject.slice(-4));
    expect(found('island FERRY')).toHaveLength(6);
    expect(found('SM-1003')).toEqual(['1003']);
    expect(found('asa')).toHaveLength(6);
    expect(found('SM-1003 nothing')).toEqual([]);
    // Two letters are looked for in what the list shows.
    expect(found('SM 04')).toEqual(['1004']);
    expect(found('"quoted" OR ferry*')).toEqual([]);
  });

  test('is counted by recipient, followed by number, bounded and cleared', async () => {
    const store = await openTestStore();
    for (let n = 1; n <= 10; n += 1) await keep(store, n);
    expect(store.captured.addresses('drydock', 5)).toEqual([
      { address: 'asa@post.example', emails: 5, latest: 10_000 },
      { address: 'liv@post.example', emails: 5, latest: 9000 },
    ]);
    expect(store.captured.list({ space: 'drydock', after: 8 }, 10).map((captured) => captured.seq)).toEqual([10, 9]);
    expect(await store.captured.bound('drydock', 4, 0)).toBe(6);
    expect(store.captured.list({ space: 'drydock' }, 10).map((captured) => captured.seq)).toEqual([10, 9, 8, 7]);
    expect(await store.captured.clear({ space: 'drydock', address: 'asa@post.example' })).toBe(2);
    expect(store.captured.count({ space: 'drydock' })).toBe(2);
    // A number is not used twice.
    await keep(store, 11);
    expect(store.captured.last()).toBe(11);
  });
});

group('suppressions', () => {
  const row = (id: string, more: object = {}) => ({
    id,
    space: 'harbour',
    address: 'asa@post.example',
    topic: '',
    reason: 'added' as const,
    cause: null,
    evidence: null,
    deliveryId: null,
    note: null,
    createdAt: 1,
    liftedAt: null,
    liftNote: null,
    ...more,
  });
  test('of all mail goes before that of a topic; a lifted one stays as a record, and may come again', async () => {
    const store = await openTestStore();
    const why = (topic: string) => store.suppressions.inForce('harbour', 'asa@post.example', topic)?.id;
    expect(await store.suppressions.add(row('s1', { topic: 'pier-news' }))).toBe(true);
    expect([why('pier-news'), why('bookings')]).toEqual(['s1', undefined]);
    await store.suppressions.add(row('s2'));
    expect([why('pier-news'), why('bookings')]).toEqual(['s2', 's2']);
    expect(await store.suppressions.add(row('s3'))).toBe(false);
    await store.suppressions.lift('s2', 50, 'asked by phone');
    await store.suppressions.lift('s2', 60, 'again');
    expect([why('pier-news'), why('bookings')]).toEqual(['s1', undefined]);
    expect(store.suppressions.liftedAt('harbour', 'asa@post.example')).toBe(50);
    expect(await store.suppressions.add(row('s4'))).toBe(true);
    const list = (lifted: boolean) => store.suppressions.list({ space: 'harbour', limit: 10, lifted }).map(({ id }) => id);
    expect([list(false), list(true)]).toEqual([
      ['s4', 's1'],
      ['s4', 's2', 's1'],
    ]);
  });
});

test('alerts: one of a kind at a time: one notice when it fires and one when it is resolved', async () => {
  const store = await openTestStore();
  const alert = { id: 'g1', space: 'harbour', rule: 'many', group: '', since: 1, value: 5, text: '5 failed.' };
  await store.alerts.fire(alert);
  await store.alerts.fire({ ...alert, id: 'g2' });
  expect(store.alerts.firing().map(({ id }) => id)).toEqual(['g1']);
  await store.alerts.setNotified('g1', NOTIFIED.firing);
  expect(store.alerts.unreported(10)).toEqual([]);
  await store.alerts.resolve(['g1'], 9);
  expect(store.alerts.unreported(10)).toMatchObject([{ id: 'g1', resolvedAt: 9 }]);
  await store.alerts.setNotified('g1', NOTIFIED.resolved);
  await store.alerts.fire({ ...alert, id: 'g3' });
  expect(store.alerts.list('harbour', 10).map(({ id }) => id)).toEqual(['g3', 'g1']);
  expect(store.alerts.unreported(10).map(({ id }) => id)).toEqual(['g3']);
});

test('keys and sessions: secrets are kept as hashes, and sessions end', async () => {
  const store = await openTestStore();
  const secret = await store.access.addKey({
    id: 'k1',
    space: 'harbour',
    name: 'app',
    scopes: ['send'],
    bounds: null,
    createdAt: 1,
    expiresAt: 50,
  });
  const found = (text: string, now: number) => store.access.findKey(text, now);
  expect(found(secret, 49)).toMatchObject({ kind: 'good', key: { id: 'k1', scopes: ['send'] } });
  expect(found(secret, 50)).toEqual({ kind: 'expired' });
  expect(found(`${secret}x`, 1)).toEqual({ kind: 'unknown' });
  expect(JSON.stringify(found(secret, 1))).not.toContain(secret);
  const next = await store.access.rotateKey({ id: 'k1', hash: store.access.keyById('harbour', 'k1')!.hash }, 20);
  expect([found(secret, 19).kind, found(secret, 20).kind, found(next, 20).kind]).toEqual(['good', 'expired', 'good']);
  expect(store.access.keyById('drydock', 'k1')).toBeUndefined();
  expect([await store.access.revokeKey('k1', 21), await store.access.revokeKey('k1', 22)]).toEqual([true, false]);
  expect([found(secret, 1).kind, found(next, 1).kind]).toEqual(['revoked', 'revoked']);
  expect(store.access.keysOf('harbour')).toMatchObject([{ id: 'k1', revokedAt: 21, start: next.slice(0, 13) }]);
  await store.people.open(testSession('z1', 10, 20), 'a secret');
  const opened = (kind: 'session' | 'link', now: number) => store.people.opened(kind, 'a secret', now)?.id;
  expect([opened('session', 19), opened('session', 20), opened('link', 15)]).toEqual(['z1', undefined, undefined]);
  expect(JSON.stringify(store.people.opened('session', 'a secret', 15))).not.toContain('a secret');
  await store.people.close('z1');
  expect(opened('session', 15)).toBeUndefined();
});

test('old messages are removed with all that belongs to them; those that still wait stay', async () => {
  const store = await openTestStore();
  const old = await accepted(store, 10 * DAY, ['asa@post.example']);
  const waits = await accepted(store, 10 * DAY + 1, ['liv@post.example']);
  const young = await accepted(store, 20 * DAY, ['asa@post.example']);
  for (const { deliveries } of [old, young])
    for (const delivery of deliveries) {
      await store.messages.keepMail(delivery.id, Buffer.from('mail'));
      await store.deliveries.record(fact(delivery, 'delivered', delivery.createdAt), delivery.createdAt);
    }
  expect(await store.messages.forgetEmails(15 * DAY)).toBe(1);
  expect(await store.messages.forget(15 * DAY)).toBe(1);
  const left = store.messages.list({ space: 'harbour', limit: 10 }).rows.map((row) => row.id);
  expect(left).toEqual([young.message.id, waits.message.id]);
  expect(store.deliveries.facts(old.deliveries[0]?.id ?? '')).toEqual([]);
  expect(store.messages.mail(young.deliveries[0]?.id ?? '')).toBeDefined();
});

test('uploads, alerts, notes, sessions and editions are removed when they are old; what is in use stays', async () => {
  const store = await openTestStore();
  const [first, second] = await Promise.all([store.contents.keep(Buffer.from('one'), 1), store.contents.keep(Buffer.from('two'), 2)]);
  const upload = (id: string, contentId: string, at: number) =>
    store.contents.addUpload({ id: newId('u', at), space: 'harbour', name: id, type: 'text/plain', contentId, createdAt: at });
  await upload('old', first.id, 30 * DAY);
  await upload('attached', second.id, 30 * DAY + 1);
  const { message } = await accepted(store, 40 * DAY, ['asa@post.example']);
  await store.store.write((tx) => {
    store.store.messages.insert(tx, {
      message: { ...message, id: newId('m', 41 * DAY), headerId: 'other' },
      deliveries: [],
      attachments: [{ messageId: message.id, n: 0, name: 'a', type: 'text/plain', url: null, contentId: second.id }],
      idempotency: undefined,
    });
  });
  expect(await store.contents.forgetUploads(35 * DAY)).toBe(2);
  expect(await store.contents.forgetUploads(35 * DAY)).toBe(0);
  // The bytes that a message attached stay with it.
  expect([store.contents.find(first.id), store.contents.find(second.id)?.size]).toEqual([undefined, 3]);

  await store.alerts.fire({ id: 'g1', space: 'harbour', rule: 'many', group: '', since: 1, value: 5, text: 'x' });
  expect(await store.alerts.forget(100)).toBe(0);
  await store.alerts.resolve(['g1'], 50);
  expect(await store.alerts.forget(100)).toBe(1);

  await store.senderFaults.count({ space: 'harbour', cause: 'policy', day: '2026-11-20' }, 'no');
  expect(await store.senderFaults.forget(100)).toBe(0);
  await store.senderFaults.setReported({ space: 'harbour', cause: 'policy', day: '2026-11-20' }, 50);
  expect(await store.senderFaults.forget(100)).toBe(1);

  await store.people.open(testSession('z2', 10, 20), 'another secret');
  expect([await store.people.forget(19), await store.people.forget(20)]).toEqual([0, 1]);

  const folder = (text: string) => new Map([['a.md', Buffer.from(text)], ['shared.md', Buffer.from('shared')]]); // oxfmt-ignore
  for (let n = 1; n <= 6; n += 1) await store.editions.publish('harbour', folder(`text ${n}`), n);
  // Edition 1 belongs to the messages above; 6 is in use; two stay as the newest.
  // With them, the files that no other edition has.
  expect(
    await store.editions.forget({
      before: 100,
      newest: 2,
      isNeeded: (tx, space, number) => store.store.messages.usesEdition(tx, space, number),
    }),
  ).toBe(3 + 3);
  expect(store.editions.list('harbour').map(({ number }) => number)).toEqual([6, 5, 1]);
  expect(Buffer.from(store.editions.files(store.editions.find('harbour', 1)!).get('shared.md') ?? '').toString()).toBe('shared');
  await store.close();
});

test('what waits in quarantine keeps its message, whatever its age', async () => {
  const store = await openTestStore();
  const { deliveries } = await accepted(store, 60 * DAY, ['asa@post.example']);
  const [one] = deliveries;
  await store.store.write((tx) => {
    const item = { key: one?.id ?? '', space: 'harbour', title: 'x', payload: {} };
    store.store.quarantine.put(tx, { worker: 'queue', item, error: new Error('no'), id: 'q1' });
    store.store.deliveries.withhold(tx, { id: one?.id ?? '' }, { reason: 'x' }, 1);
  });
  expect(await store.messages.forget(90 * DAY)).toBe(0);
  expect(await store.quarantine.forget(Number.MAX_SAFE_INTEGER)).toBe(1);
  expect(await store.messages.forget(90 * DAY)).toBe(1);
  await store.close();
});

// Last, since ids never go back: those of the tests above are of earlier days.
group('ids', () => {
  test('sort by the time they were made, also within a millisecond and when the clock goes back', async () => {
    const ids = [5, 5, 5, 9, 3, 9, 12].map((at) => newId('m', at * DAY));
    expect([...ids].sort()).toEqual(ids);
    expect(new Set(ids).size).toBe(ids.length);
    for (const id of ids) expect(id).toMatch(/^m[0-9a-hjkmnp-tv-z]{26}$/);
  });
  test('those made since a time sort after what such ids begin with', async () => {
    const [before, after] = [newId('d', 400 * DAY), newId('d', 401 * DAY)];
    expect(before < idSince('d', 401 * DAY)).toBe(true);
    expect(after >= idSince('d', 401 * DAY)).toBe(true);
  });
});

test('who listens again, after a reload, takes the place of the former: nothing is counted twice', async () => {
  const store = await openTestStore();
  try {
    const { deliveries } = await accepted(store, 10, ['asa@post.example']);
    const heard: string[] = [];
    const other = (): void => {
      heard.push('other');
    };
    for (const generation of ['first', 'second']) {
      store.store.deliveries.onRecorded('counter', () => heard.push(generation));
      store.store.deliveries.onRecorded('another', other);
      store.store.editions.onChanged('counter', () => heard.push(`edition ${generation}`));
    }
    await store.deliveries.record(fact(deliveries[0]!, 'accepted', 20), 20);
    expect(heard).toEqual(['second', 'other']);
    heard.length = 0;
    await store.editions.publish('harbour', new Map([['mail.yaml', Buffer.from('name: a\n')]]), 30);
    expect(heard).toEqual(['edition second']);
  } finally {
    await store.close();
  }
});
