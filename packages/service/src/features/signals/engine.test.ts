import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { linkFolder } from '@verbalis/core/folder';
import { compileRules } from '@verbalis/core/signals';
import fc from 'fast-check';
import { Registry } from 'prom-client';
import { scaled } from '../../../../../tests/support/scale.js';
import { newId, StoreUnavailable } from '../../kernel/index.js';
import { SILENT, steppedClock } from '../../kernel/test-kernel.js';
import type { StepResult } from '../../kernel/index.js';
import { openTestStore, type TestStore } from '../../records/test-store.js';
import { signalEngine } from './engine.js';

const MINUTE = 60_000;
const START = 1_000_000_000;
const AFTER = 10 * MINUTE;
const WITHIN = 60 * MINUTE;
const LIMIT = 120 * MINUTE;

const SCHEMA = '{"type":"object","required":["n","to"],"properties":{"n":{"type":"integer"},"to":{"type":"string"}}}';
const files = {
  'mail.yaml': 'name: Harbour\n',
  'templates/lost/message.md': '---\nsubject: "Lost"\n---\n\nLost.\n',
  'templates/lost/data.schema.json': '{"type":"object"}',
  'schemas/item.json': SCHEMA,
  'signals/single.yaml': `on: found
data: ../schemas/item.json
after: PT10M
unless: collected
key: "{{ data.n }}"
send: { template: lost, to: "{{ data.to }}", reference: single, data: { items: ["{{ data.n }}"] } }
`,
  'signals/together.yaml': `on: found
data: ../schemas/item.json
when: data.n < 4
combine: { within: PT1H, by: "{{ data.to }}" }
atMost: { count: 1, within: PT2H }
send: { template: lost, to: "{{ data.to }}", reference: together, data: { items: { $each: "one in all", $value: "{{ one.n }}" } } }
`,
};
const { rules, problems } = compileRules(linkFolder(new Map(Object.entries(files).map(([path, text]) => [path, Buffer.from(text)]))));

interface Sent {
  readonly rule: string;
  readonly to: string;
  readonly items: readonly number[];
  readonly at: number;
}
/** What happens: time passes, or a signal comes in that tells of a moment so long ago; and whether the service is killed as it sends. */
type Happening =
  | { readonly kind: 'time'; readonly minutes: number; readonly isKilled: boolean }
  | {
      readonly kind: 'signal';
      readonly type: 'found' | 'collected';
      readonly id: number;
      readonly n: number;
      readonly to: string;
      readonly minutesAgo: number;
    };

/** The same, as a person would reckon it who knows nothing of tables. */
function reckoned(happenings: readonly Happening[]): Sent[] {
  interface Known {
    readonly order: number;
    readonly type: string;
    readonly n: number;
    readonly to: string;
    readonly time: number;
    readonly came: number;
    isDone: boolean;
  }
  const known: Known[] = [];
  const groups: { readonly to: string; readonly due: number; readonly items: number[]; isDone: boolean }[] = [];
  const ids = new Set<number>();
  const sent: Sent[] = [];
  let now = START;
  const isAfter = (a: Known, b: Known): boolean => a.time > b.time || (a.time === b.time && a.order > b.order);
  const tick = (): void => {
    for (const one of known) {
      if (one.isDone || one.type !== 'found') continue;
      const isCanceled = known.some((other) => other.type === 'collected' && other.n === one.n && isAfter(other, one));
      if (isCanceled) one.isDone = true;
      else if (Math.max(one.came, Math.min(one.time, one.came) + AFTER) <= now) {
        one.isDone = true;
        sent.push({ rule: 'single', to: one.to, items: [one.n], at: now });
      }
    }
    for (const group of groups.filter(({ isDone, due }) => !isDone && due <= now).sort((a, b) => a.due - b.due)) {
      group.isDone = true;
      const before = sent.filter(({ rule, to, at }) => rule === 'together' && to === group.to && at > now - LIMIT);
      if (before.length === 0) sent.push({ rule: 'together', to: group.to, items: group.items, at: now });
    }
  };
  happenings.forEach((happening, order) => {
    if (happening.kind === 'time') now += happening.minutes * MINUTE;
    else if (!ids.has(happening.id)) {
      const { id, type, n, to, minutesAgo } = happening;
      ids.add(id);
      const time = now - minutesAgo * MINUTE;
      known.push({ order, type, n, to, time, came: now, isDone: false });
      if (type === 'found' && n < 4) {
        const open = groups.find((group) => !group.isDone && group.to === to);
        if (open === undefined) groups.push({ to, due: now + WITHIN, items: [n], isDone: false });
        else open.items.push(n);
      }
    }
    tick();
  });
  return sent;
}

let opened: TestStore;
beforeAll(async () => {
  opened = await openTestStore(steppedClock(START));
});
afterAll(() => opened.close());

let spaces = 0;
/** The same, by the service. */
async function asSent(happenings: readonly Happening[]): Promise<Sent[]> {
  spaces += 1;
  const space = `space${spaces}`;
  let now = START;
  const sent: Sent[] = [];
  const accepted = new Map<string, { messageId: string; bodyHash: string }>();
  let isKilled = false;
  const { store } = opened;
  const own = { ...store, messages: { ...store.messages, underKey: (_space: string, key: string) => accepted.get(key) } };
  let step: () => Promise<StepResult> = () => Promise.resolve({ did: 0 });
  signalEngine({
    store: own,
    clock: { ...steppedClock(START), now: () => now },
    log: SILENT,
    registry: new Registry(),
    workers: {
      add: (options: { step: () => Promise<StepResult> }) => {
        step = options.step;
        return { wake: () => undefined, start: () => undefined, stop: () => Promise.resolve() };
      },
    } as unknown as Parameters<typeof signalEngine>[0]['workers'],
    editions: { current: () => Promise.resolve({ rules: () => rules }) } as never,
    sensitive: { open: () => ({ missing: 'dropped' }) },
    reported: () => undefined,
    accept: {
      one: (_space: string, wanted: { to: string[]; reference: string; data: { items: number[] } }, how: { idempotencyKey: string }) => {
        const id = newId('m', now);
        accepted.set(how.idempotencyKey, { messageId: id, bodyHash: '' });
        sent.push({ rule: wanted.reference, to: wanted.to[0] ?? '', items: wanted.data.items, at: now });
        if (isKilled) {
          isKilled = false;
          return Promise.reject(new StoreUnavailable('killed', new Error('killed')));
        }
        return Promise.resolve({ message: { id } });
      },
    } as never,
  });
  const settle = async (): Promise<void> => {
    for (;;) {
      try {
        const { next } = await step();
        if (next !== 'now' && (next === undefined || next > now)) return;
      } catch (error) {
        if (!(error instanceof StoreUnavailable)) throw error;
      }
    }
  };
  for (const happening of happenings) {
    if (happening.kind === 'time') {
      now += happening.minutes * MINUTE;
      ({ isKilled } = happening);
    } else {
      const { id, type, n, to, minutesAgo } = happening;
      const at = now - minutesAgo * MINUTE;
      await store.write((tx) =>
        store.signals.add(tx, {
          id: newId('j', now),
          space,
          source: '/',
          eventId: String(id),
          type,
          subject: null,
          at,
          receivedAt: now,
          data: JSON.stringify({ n, to }),
          keyId: null,
          sensitive: false,
          matchedAt: null,
        }),
      );
    }
    await settle();
  }
  // Nothing of this space waits any more: spaces of the next runs share the file.
  now += 10 * LIMIT;
  const length = sent.length;
  await settle();
  return sent.slice(0, length);
}

const byRule = (sent: readonly Sent[]): string[] => sent.map((email) => JSON.stringify(email)).sort();

describe('emails that follow from signals', () => {
  test('the rules of this test are right', () => {
    expect(problems).toEqual([]);
  });

  test('are those of a naive reckoning, whatever comes twice, late, in another order, or while the service is killed', async () => {
    const happening: fc.Arbitrary<Happening> = fc.oneof(
      fc.record({ kind: fc.constant('time' as const), minutes: fc.integer({ min: 1, max: 80 }), isKilled: fc.boolean() }),
      fc.record({
        kind: fc.constant('signal' as const),
        type: fc.constantFrom('found' as const, 'found' as const, 'collected' as const),
        id: fc.integer({ min: 0, max: 30 }),
        n: fc.integer({ min: 1, max: 4 }),
        to: fc.constantFrom('asa@post.example', 'nour@post.example'),
        minutesAgo: fc.constantFrom(0, 0, 0, 3, 15, -2),
      }),
    );
    await fc.assert(
      fc.asyncProperty(fc.array(happening, { minLength: 1, maxLength: 25 }), async (happenings) => {
        expect(byRule(await asSent(happenings))).toEqual(byRule(reckoned(happenings)));
      }),
      { numRuns: scaled(40, 150) },
    );
  });

  test('a space whose edition cannot be loaded holds up no other', async () => {
    const own = await openTestStore(steppedClock(START));
    const { store } = own;
    const sent: string[] = [];
    let step: () => Promise<StepResult> = () => Promise.resolve({ did: 0 });
    const clock = { ...steppedClock(START), elapsed: () => elapsed, now: () => START + elapsed };
    let elapsed = 0;
    let isBroken = true;
    signalEngine({
      store,
      clock,
      log: SILENT,
      registry: new Registry(),
      workers: {
        add: (options: { step: () => Promise<StepResult> }) => {
          step = options.step;
          return { wake: () => undefined, start: () => undefined, stop: () => Promise.resolve() };
        },
      } as unknown as Parameters<typeof signalEngine>[0]['workers'],
      editions: {
        current: (space: string) =>
          space === 'broken' && isBroken ? Promise.reject(new Error('its thread ended')) : Promise.resolve({ rules: () => rules }),
      } as never,
      sensitive: { open: () => ({ missing: 'dropped' }) },
      reported: () => undefined,
      accept: {
        one: (space: string) => {
          sent.push(space);
          return Promise.resolve({ message: { id: newId('m', START) } });
        },
      } as never,
    });
    const put = (space: string, n: number) =>
      store.write((tx) =>
        store.signals.add(tx, {
          id: newId('j', START),
          space,
          source: '/',
          eventId: String(n),
          type: 'found',
          subject: null,
          at: START - AFTER,
          receivedAt: START,
          data: JSON.stringify({ n: 4, to: 'asa@post.example' }),
          keyId: null,
          sensitive: false,
          matchedAt: null,
        }),
      );
    const settle = async (): Promise<void> => {
      for (let next: StepResult['next'] = 'now'; next === 'now';) ({ next } = await step());
    };
    try {
      for (let n = 0; n < 120; n += 1) await put('broken', n);
      await put('good', 1);
      await settle();
      expect(sent).toEqual(['good']);
      isBroken = false;
      elapsed = 31_000;
      await settle();
      expect(sent).toHaveLength(121);
      // The schema of the edition in use has changed since it came in.
      await store.write((tx) =>
        store.signals.add(tx, {
          id: newId('j', START),
          space: 'good',
          source: '/',
          eventId: 'unfit',
          type: 'found',
          subject: null,
          at: START,
          receivedAt: START,
          data: '{"n":"x"}',
          keyId: null,
          sensitive: false,
          matchedAt: null,
        }),
      );
      await settle();
      expect(store.signals.list({ space: 'good', limit: 1, state: 'refused' }).map(({ eventId }) => eventId)).toEqual(['unfit']);
      const [unfit] = store.signals.list({ space: 'good', limit: 1 });
      expect(store.signalMatches.matchesOf([unfit?.id ?? '']).map(({ rule, why }) => [rule, why])).toEqual([
        ['single', '"data.to" is missing; "data.n" must be an integer, is a string.'],
        ['together', '"data.to" is missing; "data.n" must be an integer, is a string.'],
      ]);
    } finally {
      await own.close();
    }
  });
});
