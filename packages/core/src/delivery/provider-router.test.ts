import { describe, expect, test } from '@jest/globals';
import type { Outcome } from '../smtp/index.js';
import {
  lotOf,
  instantOf,
  isNamed,
  ProviderRouter,
  type Choice,
  type ChoiceInput,
  type Slot,
  type ProviderLimits,
  type RouteEntry,
} from './index.js';
import { ceilingOf } from './allowance.js';

const SECOND = 1000;
const DAY = 24 * 3_600_000;
const both: RouteEntry[] = [
  { provider: 'north', share: 1 },
  { provider: 'south', share: 0 },
];
const only = [both[0]!];
const TROUBLE: Outcome = { kind: 'trouble', scope: 'provider', phase: 'connect', reply: undefined, reason: 'Connection refused.' };
const TAKEN: Outcome = { kind: 'accepted', phase: 'content', reply: undefined };
const said = (
  kind: Outcome['kind'],
  code: number,
  more: Partial<Outcome> & { readonly enhanced?: string; readonly text?: string } = {},
): Outcome => ({
  phase: 'recipient',
  ...more,
  kind,
  reply: { code, enhanced: more.enhanced, lines: [more.text ?? 'so it says'] },
});

/** A router, and the time at which it is asked. */
function routing(limits: Readonly<Record<string, ProviderLimits>> = {}) {
  const router = new ProviderRouter(new Map(Object.entries(limits)), 50);
  const self = {
    router,
    now: 0,
    input: (more: Partial<ChoiceInput> = {}): ChoiceInput => ({
      route: both,
      space: 'harbour',
      urgent: true,
      sender: 'ours.example',
      domain: 'x',
      lot: 0,
      now: self.now,
      date: self.now,
      ...more,
    }),
    choose: (more: Partial<ChoiceInput> = {}): Choice => router.choose(self.input(more)),
    /** Chooses and begins. */
    begin(more: Partial<ChoiceInput> = {}): Slot | undefined {
      const choice = self.choose(more);
      if (!('provider' in choice)) return undefined;
      const slot = router.begin(choice.provider, self.input(more));
      router.connected(slot, self.now);
      return slot;
    },
    /** One email to a provider, which ends immediately. */
    send: (outcome: Outcome, more: Partial<ChoiceInput> = {}) => {
      const slot = router.begin(more.route?.[0]?.provider ?? 'north', self.input(more));
      router.connected(slot, self.now);
      return router.ended(slot, outcome, self.input());
    },
    count: (most: number, more: Partial<ChoiceInput> = {}): number => {
      let n = 0;
      while (n < most && self.begin(more) !== undefined) n += 1;
      return n;
    },
  };
  return self;
}

describe('health', () => {
  test('a provider that fails three times is left alone, its mail goes to the next, and one email probes it', () => {
    const at = routing();
    for (let i = 0; i < 3; i += 1) {
      expect(at.choose()).toEqual({ provider: 'north' });
      const changes = at.send(TROUBLE);
      expect(changes).toEqual(i < 2 ? [] : [{ provider: 'north', scope: 'provider', change: 'trouble', why: 'Connection refused.' }]);
      at.now += 1;
    }
    expect(at.choose()).toEqual({ provider: 'south' });
    expect(at.router.stateOf('north', at.now)).toMatchObject({ state: 'resting', why: 'Connection refused.', since: 2 });
    expect(at.choose({ route: only })).toMatchObject({
      block: { scope: 'line', at: 10_002, reason: 'north is in trouble: Connection refused.' },
    });
    at.now += 11 * SECOND;
    const probe = at.begin()!;
    expect(probe).toMatchObject({ provider: 'north' });
    // The probe is under way: everybody else goes south.
    expect(at.choose()).toEqual({ provider: 'south' });
    at.router.ended(probe, TROUBLE, at.input());
    expect(at.router.stateOf('north', at.now + 15 * SECOND)).toMatchObject({ state: 'resting' });
    at.now += 25 * SECOND;
    expect(at.send(TAKEN)).toEqual([{ provider: 'north', scope: 'provider', change: 'recovered', why: '' }]);
    expect(at.router.stateOf('north', at.now)).toEqual({ state: 'working', underWay: 0 });
  });

  test('emails that were under way together and failed together are one failure', () => {
    const at = routing({ north: { connections: 5 } });
    const taken = Array.from({ length: 5 }, () => at.begin()!);
    at.now = 10;
    for (const slot of taken) at.router.ended(slot, TROUBLE, at.input());
    expect(at.router.stateOf('north', at.now)).toMatchObject({ state: 'working' });
  });

  test('a wait without any answer is enough to leave a provider alone', () => {
    const at = routing({ north: { connections: 5 } });
    const slot = at.begin()!;
    at.now += 30 * SECOND;
    at.router.ended(slot, { kind: 'uncertain', phase: 'answer', reply: undefined, reason: 'no answer' }, at.input());
    expect(at.choose()).toEqual({ provider: 'south' });
  });

  test('each probe that fails doubles the rest, up to ten minutes', () => {
    const at = routing();
    for (let i = 0; i < 3; i += 1) at.send(TROUBLE);
    const rests: number[] = [];
    for (let probe = 0; probe < 9; probe += 1) {
      const { until = 0 } = at.router.stateOf('north', at.now);
      rests.push((until - at.now) / SECOND);
      at.now = until;
      at.router.ended(at.begin()!, TROUBLE, at.input());
    }
    expect(rests).toEqual([10, 20, 40, 80, 160, 320, 600, 600, 600]);
  });

  test('a probe that came to nothing by a fault of ours does not lock the provider out', () => {
    const at = routing();
    for (let i = 0; i < 3; i += 1) at.send(TROUBLE);
    at.now += 11 * SECOND;
    at.router.abandoned(at.begin()!, at.now);
    expect(at.choose()).toEqual({ provider: 'north' });
    // And it does not count for its health.
    expect(at.router.stateOf('north', at.now)).toMatchObject({ state: 'probing' });
  });

  test('a provider that was in trouble when the service ended is tried by one email', () => {
    const at = routing();
    at.now = 5000;
    at.router.wasInTrouble('north', -60_000, 'Connection refused.');
    expect(at.router.stateOf('north', at.now)).toMatchObject({ state: 'probing', since: -60_000, why: 'Connection refused.' });
    const probe = at.begin()!;
    expect(at.choose()).toEqual({ provider: 'south' });
    expect(at.router.ended(probe, TAKEN, at.input())).toMatchObject([{ provider: 'north', change: 'recovered' }]);
  });

  test('a provider that asks to be left alone is, by all emails and at once', () => {
    const at = routing();
    at.send({
      ...TROUBLE,
      phase: 'answer',
      reply: { code: 429, enhanced: undefined, lines: ['too many requests'] },
      retryAfterMs: 60 * SECOND,
    });
    for (const domain of ['x', 'y', 'z']) expect(at.choose({ domain })).toEqual({ provider: 'south' });
    at.now += 59 * SECOND;
    expect(at.choose({ route: only })).toMatchObject({ block: { at: 60 * SECOND } });
    at.now += SECOND;
    expect(at.choose()).toEqual({ provider: 'north' });
  });

  test('a refusal of a recipient says nothing of the provider; what has just failed an email is avoided', () => {
    const at = routing();
    for (let i = 0; i < 10; i += 1) at.send(said('refused', 550));
    expect(at.choose()).toEqual({ provider: 'north' });
    expect(at.choose({ avoid: 'north' })).toEqual({ provider: 'south' });
    expect(at.choose({ route: only, avoid: 'north' })).toEqual({ provider: 'north' });
  });

  test('what concerns our sender leaves the provider to other senders', () => {
    const at = routing();
    const refusal = said('trouble', 550, { scope: 'sender', phase: 'sender' });
    for (let i = 0; i < 2; i += 1) at.send(refusal);
    expect(at.send(refusal)).toEqual([
      { provider: 'north', scope: 'sender', domain: 'ours.example', change: 'trouble', why: 'so it says' },
    ]);
    expect(at.choose()).toEqual({ provider: 'south' });
    expect(at.choose({ route: only })).toMatchObject({ block: { scope: 'email' } });
    expect(at.choose({ sender: 'other.example' })).toEqual({ provider: 'north' });
  });

  test('a domain that a provider turns away is its own trouble; three different ones in a row are the provider’s', () => {
    const at = routing();
    const refusal = said('trouble', 554, { scope: 'domain' });
    for (let i = 0; i < 3; i += 1) at.send(refusal, { domain: 'far.example' });
    expect(at.choose({ domain: 'far.example' })).toEqual({ provider: 'south' });
    expect(at.choose({ domain: 'near.example' })).toEqual({ provider: 'north' });
    for (const domain of ['a', 'b', 'c', 'd']) at.send(refusal, { domain });
    expect(at.choose({ domain: 'near.example' })).toEqual({ provider: 'south' });
  });

  test('what is only unfit for one message says that the server works', () => {
    const at = routing();
    for (let i = 0; i < 5; i += 1) at.send({ ...said('trouble', 552), scope: 'message' });
    expect(at.choose()).toEqual({ provider: 'north' });
    expect(at.choose({ unfit: ['north'] })).toEqual({ provider: 'south' });
    expect(at.choose({ unfit: ['north', 'south'] })).toMatchObject({ block: { scope: 'email' } });
    expect(at.router.hasFit(both, ['north'])).toBe(true);
    expect(at.router.hasFit(both, ['north', 'south'])).toBe(false);
  });

  test('what may have been sent stays with its provider', () => {
    const at = routing();
    for (let i = 0; i < 3; i += 1) at.send(TROUBLE);
    expect(at.choose({ only: 'north' })).toMatchObject({ block: { scope: 'email', at: 10 * SECOND } });
  });
});

describe('limits', () => {
  test.each(['space', 'sender'] as const)('a ceiling for each %s, also over a restart', (by) => {
    const limits = { north: { warmUp: { first: 3, growth: 2, most: 20, since: 0, by } } };
    const [one, other] = [
      { space: 'harbour', sender: 'ferries.example' },
      { space: 'drydock', sender: 'yard.example' },
    ];
    const at = routing(limits);
    expect(at.count(9, { route: only, ...one, date: 5 })).toBe(3);
    expect(at.count(9, { route: only, ...other, date: 5 })).toBe(3);
    const third = { space: by === 'space' ? 'harbour' : 'pier', sender: by === 'space' ? 'third.example' : 'ferries.example' };
    expect(at.choose({ route: only, ...third, date: 5 })).toMatchObject({
      block: {
        scope: by === 'space' ? 'line' : 'email',
        reason: expect.stringContaining(by === 'space' ? 'the space harbour' : 'ferries.example'),
      },
    });
    const restarted = routing(limits);
    expect(restarted.router.allowances(5)).toEqual([{ provider: 'north', since: [0] }]);
    restarted.router.given('north', 0, [{ ...one, n: 2 }]);
    expect(restarted.count(9, { route: only, ...one, date: 5 })).toBe(1);
    expect(restarted.count(9, { route: only, ...other, date: 5 })).toBe(3);
  });
  test('the lot of an address is always the same, whatever its case, and lots are spread evenly', () => {
    expect(lotOf('Asa@Post.example')).toBe(lotOf('asa@post.example'));
    const lots = Array.from({ length: 10_000 }, (_, i) => lotOf(`guest${i}@post.example`));
    for (let tenth = 0; tenth < 10; tenth += 1) {
      const n = lots.filter((lot) => Math.floor(lot * 10) === tenth).length;
      expect(n).toBeGreaterThan(900);
      expect(n).toBeLessThan(1100);
    }
  });
  test('shares', () => {
    const at = routing();
    const route = [
      { provider: 'old', share: 9 },
      { provider: 'new', share: 1 },
    ];
    const taken = Array.from({ length: 100 }, (_, i) => at.choose({ route, lot: i / 100 }));
    expect(taken.filter((choice) => 'provider' in choice && choice.provider === 'new')).toHaveLength(10);
  });

  test('emails a second, by provider and by domain', () => {
    const at = routing({ north: { connections: 1000, perSecond: 5, perDomainSecond: 2 } });
    expect(at.count(3, { route: only, domain: 'a' })).toBe(2);
    expect(at.count(3, { route: only, domain: 'b' })).toBe(2);
    expect(at.count(1, { route: only, domain: 'c' })).toBe(1);
    expect(at.choose({ route: only, domain: 'd' })).toMatchObject({ block: { scope: 'line', at: 200 } });
    let taken = 0;
    for (at.now = 200; at.now < 10_200; at.now += 10)
      for (const domain of ['e', 'f', 'g', 'h']) taken += at.count(1, { route: only, domain });
    expect(taken).toBeGreaterThanOrEqual(50);
    expect(taken).toBeLessThanOrEqual(52);
  });

  test('a limit never saves up more than a second of emails, however long nothing was sent', () => {
    const at = routing({ north: { perSecond: 4 } });
    at.begin({ route: only });
    at.now = 3600 * SECOND;
    expect(at.count(10, { route: only })).toBe(4);
  });

  test('a domain that minds is visited less often, and again after a success', () => {
    const at = routing();
    const minds = said('deferred', 450, { enhanced: '4.7.1' });
    at.send(minds, { domain: 'a' });
    // It waits for this provider, though another has room.
    expect(at.choose({ domain: 'a' })).toMatchObject({ block: { scope: 'domain', at: 2000 } });
    expect(at.choose({ domain: 'b' })).toEqual({ provider: 'north' });
    at.now = 2000;
    at.send(minds, { domain: 'a' });
    expect(at.choose({ domain: 'a' })).toMatchObject({ block: { at: 6000 } });
    at.now = 6000;
    at.send(TAKEN, { domain: 'a' });
    expect(at.choose({ domain: 'a' })).toEqual({ provider: 'north' });
  });

  test('a domain that greylists is not visited less often: each recipient waits for itself', () => {
    const at = routing();
    at.send(said('deferred', 451, { enhanced: '4.7.1', text: '<a@a.example>: Greylisted, please come back later' }), { domain: 'a' });
    expect(at.choose({ domain: 'a' })).toEqual({ provider: 'north' });
  });

  test('a domain gets more connections while it goes well, half when it minds, one when it is slow', () => {
    const at = routing({ north: { connections: 20, isPacedByDomain: true } });
    const room = (): number => {
      const taken: Slot[] = [];
      for (let slot = at.begin(); slot?.provider === 'north'; slot = at.begin()) taken.push(slot);
      for (const slot of taken) at.router.abandoned(slot, at.now);
      return taken.length;
    };
    expect(room()).toBe(1);
    for (let i = 0; i < 7; i += 1) at.send(TAKEN);
    expect(room()).toBe(8);
    for (let i = 0; i < 30; i += 1) at.send(TAKEN);
    // Never the last fifth.
    expect(room()).toBe(16);
    at.send(said('deferred', 451, { enhanced: '4.7.0' }));
    at.now += 3 * SECOND;
    expect(room()).toBe(10);
    const slow = at.begin()!;
    at.now += 10 * SECOND;
    at.router.ended(slow, TAKEN, at.input());
    expect(room()).toBe(1);
  });

  test('a ceiling that grows by the day, also over a restart', () => {
    const plan = { first: 3, growth: 2, most: 20, since: 0 };
    expect([0, 1, 2, 3].map((day) => ceilingOf(plan, day * DAY))).toEqual([3, 6, 12, Number.POSITIVE_INFINITY]);
    const limits = { north: { warmUp: plan } };
    const at = routing(limits);
    const countOn = (day: number): number => at.count(30, { route: only, date: day * DAY + 5, now: day });
    expect([0, 1, 2, 3].map(countOn)).toEqual([3, 6, 12, 30 - 11]);
    const restarted = routing(limits);
    expect(restarted.router.allowances(DAY + 5)).toEqual([{ provider: 'north', since: [DAY] }]);
    restarted.router.given('north', DAY, [{ space: 'harbour', sender: 'a.example', n: 5 }]);
    expect(restarted.count(30, { route: only, date: DAY + 5 })).toBe(1);
    expect(restarted.choose({ route: only, date: DAY + 5, now: 7 })).toMatchObject({ block: { at: 7 + DAY - 5 } });
  });

  test('a quota by day and by month: the next provider of the route gets what is over, until it starts again', () => {
    const START = Date.UTC(2026, 0, 30, 12);
    const at = routing({ north: { perDay: 2, perMonth: 5 } });
    const countOn = (day: number): number => at.count(30, { route: only, date: START + day * DAY, now: day });
    expect([0, 1].map(countOn)).toEqual([2, 2]);
    expect(at.choose({ date: START + DAY, now: 1 })).toEqual({ provider: 'south' });
    // The first of February: a new month.
    expect([2, 3, 4].map(countOn)).toEqual([2, 2, 1]);
    const block = { at: 5 + Date.UTC(2026, 2, 1) - START - 5 * DAY, reason: 'north has reached its quota of 5 emails a month' };
    expect(at.choose({ route: only, date: START + 5 * DAY, now: 5 })).toMatchObject({ block });
  });

  test.each([
    ['accepted', 1],
    ['uncertain', 1],
    ['refused', 0],
    ['trouble', 0],
  ] as const)('an email that ends as %s counts %s against a quota', (kind, n) => {
    const at = routing({ north: { perDay: 10 } });
    at.send(said(kind, 554, { scope: 'message' }));
    expect(at.router.memory(at.now).given).toEqual({ north: [n] });
  });

  test('what was not handed over after all does not count against the ceiling of the day', () => {
    const at = routing({ north: { warmUp: { first: 1, growth: 1, most: 10, since: 0 } } });
    const slot = at.begin({ route: only })!;
    expect(at.choose({ route: only })).toMatchObject({ block: { reason: expect.stringContaining('ceiling') } });
    at.router.abandoned(slot, at.now);
    expect(at.choose({ route: only })).toEqual({ provider: 'north' });
  });

  test('paused', () => {
    const at = routing();
    at.router.pause(new Set(['north']));
    expect(at.choose()).toEqual({ provider: 'south' });
    expect(at.choose({ route: only })).toMatchObject({ block: { reason: 'north is paused' } });
    expect(at.router.lineBlock(both, at.input())).toBeUndefined();
    expect(at.router.lineBlock(only, at.input())).toMatchObject({ at: SECOND });
    expect(at.router.lineBlock([], at.input())).toMatchObject({ reason: 'the route of the space names no provider' });
  });

  test('a provider whose connections are in use is waited for, though another is free', () => {
    const at = routing({ north: { connections: 1 } });
    at.begin();
    expect(at.choose()).toMatchObject({ block: { scope: 'line', at: 5000 } });
  });
});

test.each([
  ['2026-03-29T09:00', 'Europe/Paris', '2026-03-29T07:00:00.000Z'],
  ['2026-03-28T09:00', 'Europe/Paris', '2026-03-28T08:00:00.000Z'],
  // Skipped in spring, twice in autumn.
  ['2026-03-29T02:30', 'Europe/Paris', '2026-03-29T01:30:00.000Z'],
  ['2026-10-25T02:30', 'Europe/Paris', '2026-10-25T00:30:00.000Z'],
  ['2026-11-01T01:30:15', 'America/New_York', '2026-11-01T05:30:15.000Z'],
  ['2026-12-01T09:00:00+09:00', 'UTC', '2026-12-01T00:00:00.000Z'],
  ['2026-12-01T09:00Z', 'Europe/Paris', '2026-12-01T09:00:00.000Z'],
])('%s in %s', (text, zone, wanted) => {
  expect(new Date(instantOf(text, zone) ?? 0).toISOString()).toBe(wanted);
});
test.each(['2026-02-30T09:00', 'tomorrow', '2026-01-01', '2026-01-01T25:00'])('%s is no time', (text) => {
  expect(instantOf(text, 'UTC')).toBeUndefined();
});

test.each([
  ['asa@post.example', true],
  ['ASA@Post.example', true],
  ['x@crew.example', true],
  ['x@deep.crew.example', false],
  ['test+7@mail.example', true],
  ['test@mail.example', false],
  ['a@b.ferries.example', true],
  ['mallory@evil-crew.example', false],
])('%s is named: %s', (address, wanted) => {
  expect(isNamed(address, ['asa@post.example', '@crew.example', 'test+*@mail.example', '*.ferries.example'])).toBe(wanted);
});
