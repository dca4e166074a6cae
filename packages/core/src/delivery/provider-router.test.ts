import { describe, expect, test } from '@jest/globals';
import type { Outcome } from '../smtp/index.js';
import { ceilingOf, instantOf, isNamed, ProviderRouter, type RouteEntry } from './index.js';

const SECOND = 1000;
const DAY = 24 * 3_600_000;
const both: RouteEntry[] = [
  { provider: 'north', share: 1 },
  { provider: 'south', share: 0 },
];
const TROUBLE: Pick<Outcome, 'kind' | 'reply'> = { kind: 'trouble', reply: undefined };
const TAKEN: Pick<Outcome, 'kind' | 'reply'> = { kind: 'accepted', reply: undefined };

describe('router', () => {
  test('a provider that fails is set aside, its mail goes to the next, and one mail probes it', () => {
    const router = new ProviderRouter(new Map());
    let now = 0;
    for (let i = 0; i < 3; i += 1) {
      expect(router.choose(both, { domain: 'x', now, random: 0 })).toEqual({ provider: 'north' });
      router.ended('north', 'x', TROUBLE, now);
    }
    expect(router.choose(both, { domain: 'x', now, random: 0 })).toEqual({ provider: 'south' });
    expect(router.stateOf('north', now)).toMatchObject({ state: 'resting' });
    now += 11 * SECOND;
    expect(router.choose(both, { domain: 'x', now, random: 0 })).toEqual({ provider: 'north' });
    // The probe is out: everybody else goes south.
    expect(router.choose(both, { domain: 'x', now, random: 0 })).toEqual({ provider: 'south' });
    router.ended('north', 'x', TROUBLE, now);
    expect(router.stateOf('north', now + 15 * SECOND)).toMatchObject({ state: 'resting' });
    now += 25 * SECOND;
    expect(router.choose(both, { domain: 'x', now, random: 0 })).toEqual({ provider: 'north' });
    router.ended('north', 'x', TAKEN, now);
    expect(router.choose(both, { domain: 'x', now, random: 0 })).toEqual({ provider: 'north' });
    expect(router.stateOf('north', now)).toEqual({ state: 'working', troubles: 0 });
  });

  test('a refusal of a recipient says nothing of the provider; what has just failed an email is avoided', () => {
    const router = new ProviderRouter(new Map());
    for (let i = 0; i < 10; i += 1) router.ended('north', 'x', { kind: 'refused', reply: undefined }, 0);
    expect(router.choose(both, { domain: 'x', now: 0, random: 0 })).toEqual({ provider: 'north' });
    expect(router.choose(both, { domain: 'x', avoid: 'north', now: 0, random: 0 })).toEqual({ provider: 'south' });
    expect(router.choose([both[0]!], { domain: 'x', avoid: 'north', now: 0, random: 0 })).toEqual({ provider: 'north' });
  });

  test('shares', () => {
    const router = new ProviderRouter(new Map());
    const route = [
      { provider: 'old', share: 9 },
      { provider: 'new', share: 1 },
    ];
    const taken = Array.from({ length: 100 }, (_, i) => router.choose(route, { domain: 'x', now: 0, random: i / 100 }));
    expect(taken.filter((choice) => 'provider' in choice && choice.provider === 'new')).toHaveLength(10);
  });

  test('limits a second, by provider and by domain', () => {
    const router = new ProviderRouter(new Map([['north', { perSecond: 5, perDomainSecond: 2 }]]));
    const only = [both[0]!];
    const take = (domain: string, now: number): boolean => 'provider' in router.choose(only, { domain, now, random: 0 });
    expect([1, 2, 3].map(() => take('a', 0))).toEqual([true, true, false]);
    expect([1, 2, 3].map(() => take('b', 0))).toEqual([true, true, false]);
    expect(take('c', 0)).toBe(true);
    expect(router.choose(only, { domain: 'd', now: 0, random: 0 })).toEqual({ waitUntil: 200, reason: 'the limit of "north"' });
    expect(take('d', 200)).toBe(true);
    let taken = 0;
    for (let now = 200; now < 10_200; now += 10) for (const domain of ['e', 'f', 'g', 'h']) taken += Number(take(domain, now));
    expect(taken).toBeGreaterThanOrEqual(49);
    expect(taken).toBeLessThanOrEqual(51);
  });

  test('a domain that minds is visited less often, and again after a success', () => {
    const router = new ProviderRouter(new Map());
    const minds = { kind: 'deferred', reply: { code: 450, enhanced: '4.7.1', lines: [] } } as const;
    const only = [both[0]!];
    router.ended('north', 'a', minds, 0);
    expect(router.choose(only, { domain: 'a', now: 0, random: 0 })).toMatchObject({ waitUntil: 2000 });
    expect(router.choose(only, { domain: 'b', now: 0, random: 0 })).toEqual({ provider: 'north' });
    router.ended('north', 'a', minds, 2000);
    expect(router.choose(only, { domain: 'a', now: 2000, random: 0 })).toMatchObject({ waitUntil: 6000 });
    router.ended('north', 'a', TAKEN, 6000);
    expect(router.choose(only, { domain: 'a', now: 6000, random: 0 })).toEqual({ provider: 'north' });
  });

  test('a ceiling that grows by the day, also over a restart', () => {
    const plan = { first: 3, growth: 2, most: 20, since: 0 };
    expect([0, 1, 2, 3].map((day) => ceilingOf(plan, day * DAY))).toEqual([3, 6, 12, Number.POSITIVE_INFINITY]);
    const only = [both[0]!];
    const countOn = (router: ProviderRouter, day: number): number => {
      let taken = 0;
      while (taken < 30 && 'provider' in router.choose(only, { domain: 'x', now: day * DAY + taken, random: 0 })) taken += 1;
      return taken;
    };
    const router = new ProviderRouter(new Map([['north', { warmUp: plan }]]));
    expect([0, 1, 2, 3].map((day) => countOn(router, day))).toEqual([3, 6, 12, 30]);
    const restarted = new ProviderRouter(new Map([['north', { warmUp: plan }]]));
    restarted.counted('north', 5, DAY);
    expect(countOn(restarted, 1)).toBe(1);
    expect(restarted.choose(only, { domain: 'x', now: DAY + 5, random: 0 })).toMatchObject({ waitUntil: 2 * DAY });
  });

  test('paused', () => {
    const router = new ProviderRouter(new Map());
    router.pause(new Set(['north']));
    expect(router.choose(both, { domain: 'x', now: 0, random: 0 })).toEqual({ provider: 'south' });
    expect(router.choose([both[0]!], { domain: 'x', now: 0, random: 0 })).toMatchObject({ reason: '"north" is paused' });
  });

  test('a route is closed when all of it is', () => {
    const router = new ProviderRouter(new Map());
    expect(router.closedUntil(both, 0)).toBeUndefined();
    expect(router.closedUntil([], 0)).toBeUndefined();
    router.pause(new Set(['north']));
    expect(router.closedUntil(both, 0)).toBeUndefined();
    expect(router.closedUntil([both[0]!], 0)).toBe(SECOND);
    for (let i = 0; i < 3; i += 1) router.ended('south', 'x', TROUBLE, 0);
    expect(router.closedUntil(both, 0)).toBe(SECOND);
    router.pause(new Set());
    expect(router.closedUntil([both[1]!], 0)).toBe(10 * SECOND);
    expect(router.closedUntil([both[1]!], 10 * SECOND)).toBeUndefined();
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

describe('a draft', () => {
  const rest = (router: ProviderRouter): void => {
    for (let i = 0; i < 3; i += 1) router.ended('north', 'x', TROUBLE, 0);
  };

  test('knows what it has chosen itself, and leaves no trace when it is not kept', () => {
    const limits = new Map([['north', { perSecond: 2, warmUp: { first: 3, growth: 1, most: 10, since: 0 } }]]);
    const router = new ProviderRouter(limits);
    const only = [both[0]!];
    const lost = router.draft();
    const taken = [1, 2, 3].map(() => 'provider' in lost.choose(only, { domain: 'x', now: 0, random: 0 }));
    expect(taken).toEqual([true, true, false]);
    // Undone: the same is possible again.
    const kept = router.draft();
    expect([1, 2, 3].map(() => 'provider' in kept.choose(only, { domain: 'x', now: 0, random: 0 }))).toEqual([true, true, false]);
    kept.keep(0);
    expect(router.choose(only, { domain: 'x', now: 0, random: 0 })).toMatchObject({ reason: 'the limit of "north"' });
    // The day's ceiling counts what is in the draft, too.
    const later = router.draft();
    expect([1, 2].map(() => 'provider' in later.choose(only, { domain: 'x', now: 5 * SECOND, random: 0 }))).toEqual([true, false]);
  });

  test('probes a provider once, and one that is undone does not lock the provider out', () => {
    const router = new ProviderRouter(new Map());
    rest(router);
    const now = 11 * SECOND;
    const lost = router.draft();
    expect(lost.choose(both, { domain: 'x', now, random: 0 })).toEqual({ provider: 'north' });
    expect(lost.choose(both, { domain: 'x', now, random: 0 })).toEqual({ provider: 'south' });
    const kept = router.draft();
    expect(kept.choose(both, { domain: 'x', now, random: 0 })).toEqual({ provider: 'north' });
    kept.keep(now);
    expect(router.choose(both, { domain: 'x', now, random: 0 })).toEqual({ provider: 'south' });
    // A probe that came to nothing by a fault of ours: the next mail may probe.
    router.abandoned('north', now);
    expect(router.choose(both, { domain: 'x', now, random: 0 })).toEqual({ provider: 'north' });
  });

  test('what was not handed over after all does not count against the ceiling of the day', () => {
    const router = new ProviderRouter(new Map([['north', { warmUp: { first: 1, growth: 1, most: 10, since: 0 } }]]));
    const take = () => router.choose([both[0]!], { domain: 'x', now: 0, random: 0 });
    expect(take()).toEqual({ provider: 'north' });
    expect(take()).toMatchObject({ reason: expect.stringContaining('ceiling') });
    router.abandoned('north', 0);
    expect(take()).toEqual({ provider: 'north' });
  });

  test('is counted once, however often it is kept', () => {
    const router = new ProviderRouter(new Map([['north', { perSecond: 3 }]]));
    const draft = router.draft();
    draft.choose([both[0]!], { domain: 'x', now: 0, random: 0 });
    draft.keep(0);
    draft.keep(0);
    expect([1, 2, 3].map(() => 'provider' in router.choose([both[0]!], { domain: 'x', now: 0, random: 0 }))).toEqual([true, true, false]);
  });
});

test('each probe that fails doubles the rest, up to ten minutes', () => {
  const router = new ProviderRouter(new Map());
  let now = 0;
  for (let i = 0; i < 3; i += 1) router.ended('north', 'x', TROUBLE, now);
  const rests: number[] = [];
  for (let probe = 0; probe < 9; probe += 1) {
    const { until = 0 } = router.stateOf('north', now);
    rests.push((until - now) / SECOND);
    now = until;
    expect(router.choose(both, { domain: 'x', now, random: 0 })).toEqual({ provider: 'north' });
    router.ended('north', 'x', TROUBLE, now);
  }
  expect(rests).toEqual([10, 20, 40, 80, 160, 320, 600, 600, 600]);
});

test('a limit never saves up more than a second of emails, however long nothing was sent', () => {
  const router = new ProviderRouter(new Map([['north', { perSecond: 4 }]]));
  const only = [both[0]!];
  router.choose(only, { domain: 'x', now: 0, random: 0 });
  const hour = 3600 * SECOND;
  const taken = Array.from({ length: 10 }, () => 'provider' in router.choose(only, { domain: 'x', now: hour, random: 0 }));
  expect(taken.filter(Boolean)).toHaveLength(4);
});
