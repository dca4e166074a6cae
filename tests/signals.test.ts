import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe as group, expect, test } from '@jest/globals';
import { createClient, type SignalView } from '@verbalis/client';
import { movableClock } from './support/clock.js';
import { LIMITS } from './support/limits.js';
import { DEMO_FOLDER, OPERATOR, startTestService, temporaryFolder, until } from './support/service.js';

// The app says what happened; rules of the mail folder say which emails follow.

const sample = (name: string) =>
  JSON.parse(readFileSync(join(DEMO_FOLDER, `signals/samples/${name}.json`), 'utf8')) as { type: string; data: any };
const [PAID, FOUND, COLLECTED] = ['booking-paid', 'item-found', 'item-collected'].map(sample) as [any, any, any];
const MINUTE = 60_000;
const START = Date.UTC(2026, 10, 25, 9);
const folder = temporaryFolder();
afterAll(() => folder.remove());

async function started(change: Record<string, unknown> = {}) {
  const clock = movableClock(START);
  const all = await startTestService({ clock, change, space: 'drydock' });
  clock.busy = all.service.busy;
  const { client } = all;
  const headers = { authorization: `Bearer ${all.key}` };
  return {
    ...all,
    clock,
    post: (body: unknown, more: Record<string, string>) =>
      fetch(`${all.service.url}/v1/signals`, { method: 'POST', headers: { ...headers, ...more }, body: JSON.stringify(body) }),
    /** The signal, once nobody has to look at it any more. */
    looked: (id: string): Promise<SignalView> =>
      until(async () => {
        await clock.move(1);
        const found = await client.signals.get(id);
        return found.isOpen || found.rules.some(({ state, dueAt }) => state === 'waiting' && Date.parse(dueAt ?? '') <= clock.now())
          ? undefined
          : found;
      }),
    sentTo: async (to: string) => (await client.captured.list({ to })).captured,
  };
}
type Started = Awaited<ReturnType<typeof started>>;

async function within(change: Record<string, unknown>, run: (all: Started) => Promise<void>): Promise<void> {
  const all = await started(change);
  try {
    await run(all);
  } finally {
    await all.stop();
  }
}

/** A mail folder with rules of its own. */
function folderWith(name: string, rules: Record<string, string>): string {
  const path = join(folder.path, name);
  cpSync(DEMO_FOLDER, path, { recursive: true });
  rmSync(join(path, 'signals'), { recursive: true });
  mkdirSync(join(path, 'signals'));
  for (const [rule, text] of Object.entries(rules)) writeFileSync(join(path, 'signals', `${rule}.yaml`), text);
  return path;
}
const spacesWith = (path: string) => ({ spaces: { drydock: { mode: 'capture', mailFolder: path } } });

group('signals come in', () => {
  test('structured, in batches and binary, each once; 202 when they are kept', () =>
    within({}, async ({ post, client, looked, sentTo }) => {
      const event = { specversion: '1.0', id: 'b1', source: '/bookings', type: PAID.type, subject: 'SM-1042', data: PAID.data };
      const taken = await post(event, { 'content-type': 'application/cloudevents+json' });
      expect(taken.status).toBe(202);
      const [first] = ((await taken.json()) as { signals: { id: string; repeated: boolean }[] }).signals;
      expect(first?.repeated).toBe(false);
      const signal = await looked(first?.id ?? '');
      expect(signal).toMatchObject({
        eventId: 'b1',
        source: '/bookings',
        type: 'booking.paid',
        subject: 'SM-1042',
        data: PAID.data,
        rules: [{ rule: 'booking-paid', state: 'sent', messageId: expect.any(String) }],
      });
      const [mail] = await sentTo('asa@passengers.test');
      expect(mail).toMatchObject({ subject: expect.stringContaining('SM-1042') });
      const message = await client.messages.get(signal.rules[0]?.messageId ?? '');
      expect(message).toMatchObject({ template: 'booking-confirmed', reference: 'SM-1042', locale: 'en' });

      // The same again, in every form: it is known.
      const again = await post([event, { ...event, id: 'b2', data: { ...PAID.data, booking: { ...PAID.data.booking, isTest: true } } }], {
        'content-type': 'application/cloudevents-batch+json',
      });
      const batch = ((await again.json()) as { signals: { id: string; repeated: boolean }[] }).signals;
      expect(batch.map(({ repeated }) => repeated)).toEqual([true, false]);
      expect(batch[0]?.id).toBe(first?.id);
      const binary = {
        'content-type': 'application/json',
        'ce-specversion': '1.0',
        'ce-type': PAID.type,
        'ce-source': '/bookings',
        'ce-id': 'b1',
      };
      expect(await (await post(PAID.data, binary)).json()).toMatchObject({ signals: [{ id: first?.id, repeated: true }] });
      expect((await looked(batch[1]?.id ?? '')).rules).toMatchObject([
        { rule: 'booking-paid', state: 'ignored', why: expect.stringContaining('not data.booking.isTest') },
      ]);
      expect(await sentTo('asa@passengers.test')).toHaveLength(1);
    }));

  test('by the client, which gives each an id; one without a rule is kept and shown', () =>
    within({}, async ({ client, looked, clock }) => {
      const paid = await client.signal(PAID.type, PAID.data, { subject: 'SM-1042', time: new Date(START - MINUTE) });
      expect((await looked(paid.id)).time).toBe(new Date(START - MINUTE).toISOString());
      const other = await client.signal('ramp.closed', { ramp: 2 });
      await clock.move(10);
      expect((await client.signals.list({ state: 'no-rule' })).signals).toMatchObject([{ id: other.id, rules: [] }]);
      expect((await client.signals.list({ type: 'booking.paid' })).signals).toHaveLength(1);
      const message = (await client.signals.get(paid.id)).rules[0]?.messageId ?? '';
      expect((await client.signals.list({ message })).signals.map(({ id }) => id)).toEqual([paid.id]);
      expect((await client.signals.rules()).rules.map(({ name, on, counts }) => [name, on, counts])).toEqual([
        ['booking-cancelled', 'booking.cancelled', {}],
        ['booking-paid', 'booking.paid', { sent: 1 }],
        ['item-found', 'item.found', {}],
      ]);
    }));

  test.each<[string, unknown, Record<string, string>, number, string]>([
    ['data that does not fit', { type: 'booking.paid', data: { ...PAID.data, booking: {} } }, {}, 422, 'data.booking.reference'],
    ['data that does not fit, in a batch', [PAID, { ...PAID, data: {} }], {}, 422, '[1].data.passenger'],
    ['no type', { data: {} }, {}, 422, 'type'],
    ['another version', { ...PAID, specversion: '2.0' }, {}, 422, 'specversion'],
    ['data in base64', { type: 'x', data_base64: 'AA==' }, {}, 422, 'data_base64'],
    ['a date that is none', { ...PAID, time: 'yesterday' }, {}, 422, 'time'],
    ['a time far ahead', { ...PAID, time: '2026-11-27T09:00:01Z' }, {}, 422, 'more than a day ahead'],
    ['too many', Array.from({ length: 1001 }, () => ({ type: 'x' })), {}, 422, '1000'],
    ['a list where one is meant', [PAID], { 'content-type': 'application/cloudevents+json' }, 422, 'must be one'],
    ['another media type', PAID, { 'content-type': 'text/plain' }, 415, 'cloudevents'],
    ['binary without a source that fits', {}, { 'ce-type': '%00', 'ce-specversion': '1.0' }, 422, 'ce-type'],
  ])('%s is refused, and nothing is kept', (_name, body, headers, status, words) =>
    within({}, async ({ post, client }) => {
      const answer = await post(body, { 'content-type': 'application/json', ...headers });
      expect(answer.status).toBe(status);
      expect(await answer.text()).toContain(words);
      expect((await client.signals.list({})).signals).toEqual([]);
    }),
  );

  test('a narrow key may send signals and nothing else, and causes nothing beyond its bounds', () =>
    within({}, async ({ service, looked }) => {
      const operator = createClient({ url: service.url, key: OPERATOR, space: 'drydock' });
      const made = async (bounds: { templates?: string[] } | undefined) =>
        createClient({
          url: service.url,
          key: (await operator.keys.add({ name: 'change feed', scopes: ['signals'], ...(bounds === undefined ? {} : { bounds }) })).key,
        });
      const narrow = await made(undefined);
      expect((await looked((await narrow.signal(PAID.type, PAID.data)).id)).rules).toMatchObject([{ state: 'sent' }]);
      await expect(narrow.signals.list({})).rejects.toThrow(/scope "read"/);
      await expect(narrow.messages.send({ subject: 'x', text: 'x', to: ['a@post.example'] })).rejects.toThrow(/scope "send"/);
      const bounded = await made({ templates: ['sign-in-code'] });
      expect((await looked((await bounded.signal(PAID.type, PAID.data)).id)).rules).toMatchObject([
        { state: 'refused', why: '"template" must be sign-in-code for this key.' },
      ]);
    }));
});

group('what follows', () => {
  test('an email that waits is canceled by a later signal of the same key, whichever came in first', () =>
    within({}, async ({ client, looked, clock, sentTo }) => {
      const one = await client.signal(FOUND.type, FOUND.data);
      expect((await looked(one.id)).rules).toMatchObject([{ state: 'waiting', dueAt: new Date(START + 10 * MINUTE).toISOString() }]);
      const other = structuredClone(FOUND.data);
      other.item.number = 'LP-205';
      const two = await client.signal(FOUND.type, other);
      await clock.move(5 * MINUTE);
      const collected = await client.signal(COLLECTED.type, COLLECTED.data);
      await clock.move(6 * MINUTE);
      expect(await client.signals.get(collected.id)).toMatchObject({ cancels: ['item-found'], rules: [] });
      expect((await client.signals.list({ state: 'no-rule' })).signals).toEqual([]);
      expect((await client.signals.get(one.id)).rules).toMatchObject([
        { state: 'canceled', why: expect.stringContaining('item.collected') },
      ]);
      expect((await client.signals.get(two.id)).rules).toMatchObject([{ state: 'sent' }]);
      expect(await sentTo('ingrid@post.example')).toHaveLength(1);
      // The news of its being found comes in after that of its being collected, and tells of an earlier time.
      const late = await client.signal(FOUND.type, FOUND.data, { time: new Date(START + 4 * MINUTE) });
      expect((await looked(late.id)).rules).toMatchObject([{ state: 'canceled', why: expect.stringContaining('had come before') }]);
      // It is lost again: that is another story. It waited on its way here.
      const again = await client.signal(FOUND.type, FOUND.data, { time: new Date(START + 5 * MINUTE + 1) });
      await clock.move(4 * MINUTE + 10);
      expect((await client.signals.get(again.id)).rules).toMatchObject([{ state: 'sent' }]);
    }));

  test('signals of one recipient become one email with a list, and a recipient gets no more than the rule allows', () => {
    const path = folderWith('combined', {
      found: `on: item.found
data: ../schemas/found-item.schema.json
combine: { within: PT1H, by: "{{ data.owner.email }}" }
atMost: { count: 2, within: P1D }
send:
  template: lost-property-found
  to: "{{ data.owner.email }}"
  reference: "{{ data.item.number }}"
  labels: { n: "{{ all | count }} items" }
  data:
    owner: { name: "{{ data.owner.name }}" }
    finder: "{{ data.finder }}"
    vessel: "{{ data.vessel }}"
    item: { what: "{{ data.item.what }}", number: "{{ data.item.number }}", foundOn: "{{ data.item.foundOn }}", keptUntil: "{{ data.item.keptUntil }}" }
    office: { name: Pier office, street: Pier 1, town: Brackwater, phone: "+3545551234" }
`,
    });
    return within(spacesWith(path), async ({ client, clock, sentTo }) => {
      const found = async (number: string, email = 'ingrid@post.example') => {
        const data = structuredClone(FOUND.data);
        data.item.number = number;
        data.owner.email = email;
        return (await client.signal(FOUND.type, data)).id;
      };
      const first = await found('LP-1');
      await clock.move(30 * MINUTE);
      const second = await found('LP-2');
      await found('LP-3', 'maren@post.example');
      await clock.move(31 * MINUTE);
      const { rules } = await client.signals.get(first);
      expect(await sentTo('ingrid@post.example')).toHaveLength(1);
      expect(rules).toMatchObject([{ state: 'sent', combinedWith: [second] }]);
      expect(await client.messages.get(rules[0]?.messageId ?? '')).toMatchObject({ reference: 'LP-2', labels: { n: '2 items' } });
      expect(await sentTo('maren@post.example')).toHaveLength(0);
      const third = await found('LP-4');
      await clock.move(61 * MINUTE);
      const fourth = await found('LP-5');
      await clock.move(61 * MINUTE);
      expect((await client.signals.get(third)).rules).toMatchObject([{ state: 'sent' }]);
      expect((await client.signals.get(fourth)).rules).toMatchObject([{ state: 'limited', why: expect.stringContaining('2 within 24') }]);
      expect(await sentTo('ingrid@post.example')).toHaveLength(2);
      expect(await sentTo('maren@post.example')).toHaveLength(1);
    });
  });

  test('what cannot be an email is refused with the reason, and tried again on request', () =>
    within({}, async ({ client: app, service, looked, clock }) => {
      const client = Object.assign(createClient({ url: service.url, key: OPERATOR, space: 'drydock' }), { signal: app.signal });
      const data = structuredClone(PAID.data);
      data.passenger.email = 'nobody';
      const bad = await client.signal(PAID.type, data);
      expect((await looked(bad.id)).rules).toMatchObject([{ state: 'refused', why: expect.stringContaining('to') }]);
      const good = await client.signal(PAID.type, PAID.data);
      expect((await looked(good.id)).rules).toMatchObject([{ state: 'sent' }]);
      expect(await client.signals.retry(bad.id)).toEqual({ rules: 1 });
      await clock.move(10);
      expect((await looked(bad.id)).rules).toMatchObject([{ state: 'refused' }]);
      const { events } = await client.events.list({ filter: 'type = signal-refused' });
      const text = `The rule “booking-paid” could not turn the signal ${PAID.type} (${bad.id}) into an email.`;
      expect(events.map(({ data }) => data)).toEqual(
        [1, 2].map(() => ({ space: 'drydock', signal: bad.id, type: PAID.type, rule: 'booking-paid', text })),
      );
      expect(await client.signals.retry(good.id)).toEqual({ rules: 0 });
      const waits = await client.signal(FOUND.type, FOUND.data);
      await looked(waits.id);
      expect(await client.signals.cancel(waits.id)).toEqual({ rules: 1 });
      expect((await client.signals.get(waits.id)).rules).toMatchObject([{ state: 'canceled', why: 'A person canceled it.' }]);
      await expect(client.signals.get('jnone')).rejects.toThrow(/There is no "jnone"/);
    }));

  test(
    'nothing of a signal is left when an address is erased, and what waits is not sent to it',
    () =>
      within({}, async ({ client, service, looked, clock, sentTo }) => {
        const waits = await client.signal(FOUND.type, FOUND.data);
        await looked(waits.id);
        const operator = createClient({ url: service.url, key: OPERATOR, space: 'drydock' });
        expect((await operator.addresses.export('ingrid@post.example')).signals).toMatchObject([{ id: waits.id, type: 'item.found' }]);
        await operator.addresses.erase('ingrid@post.example');
        expect(JSON.stringify(await client.signals.get(waits.id))).not.toContain('ingrid');
        await clock.move(11 * MINUTE);
        expect((await client.signals.get(waits.id)).rules).toMatchObject([{ state: 'canceled', why: expect.stringContaining('erased') }]);
        expect(await sentTo('ingrid@post.example')).toEqual([]);
      }),
    LIMITS.test,
  );

  test('what waits goes on waiting as long as it would have when the date is set, forward or back', () =>
    within({}, async ({ client, looked, clock }) => {
      const { id } = await client.signal(FOUND.type, FOUND.data);
      await looked(id);
      await clock.move(4 * MINUTE);
      clock.jump(24 * 60 * MINUTE);
      await clock.move(5 * MINUTE);
      expect((await client.signals.get(id)).rules).toMatchObject([{ state: 'waiting' }]);
      clock.jump(-48 * 60 * MINUTE);
      await clock.move(2 * MINUTE);
      expect((await client.signals.get(id)).rules).toMatchObject([{ state: 'sent' }]);
    }));
});
