import { describe as group, expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { State } from '../delivery/index.js';
import {
  alertValue,
  bucketOf,
  countChanges,
  isFiring,
  isWithinHours,
  percentile,
  type AlertRule,
  type Counted,
  type CountedDelivery,
} from './index.js';

const delivery: CountedDelivery = { template: 'booking-confirmed', topic: 'bookings', domain: 'post.example' };

/** All changes in one text each. */
const told = (before: Counted | undefined, after: Counted): string[] =>
  countChanges(before, after, delivery)
    .map(({ dimension, value, measure, n }) => `${dimension}=${value} ${measure} ${n > 0 ? '+' : ''}${n}`)
    .sort();

group('what changes in the counts', () => {
  test('a delivery that is new counts everywhere once', () => {
    expect(told(undefined, { state: 'accepted', provider: 'north', accepted: 12 })).toEqual([
      'all= accepted +1',
      'all= to-accepted:12 +1',
      'domain=post.example accepted +1',
      'domain=post.example to-accepted:12 +1',
      'provider=north accepted +1',
      'provider=north to-accepted:12 +1',
      'template=booking-confirmed accepted +1',
      'template=booking-confirmed to-accepted:12 +1',
      'topic=bookings accepted +1',
      'topic=bookings to-accepted:12 +1',
    ]);
  });

  test('another state takes back the one before, and only that', () => {
    const before: Counted = { state: 'accepted', provider: 'north', accepted: 12 };
    expect(told(before, { ...before, state: 'failed', cause: 'mailbox-full' })).toEqual([
      'all= accepted -1',
      'all= failed +1',
      'cause=mailbox-full failed +1',
      'domain=post.example accepted -1',
      'domain=post.example failed +1',
      'provider=north accepted -1',
      'provider=north failed +1',
      'template=booking-confirmed accepted -1',
      'template=booking-confirmed failed +1',
      'topic=bookings accepted -1',
      'topic=bookings failed +1',
    ]);
  });

  test('what is known already changes nothing', () => {
    const one: Counted = { state: 'delivered', provider: 'north', accepted: 3, delivered: 9, imageLoaded: true };
    expect(told(one, one)).toEqual([]);
  });

  test('another provider takes its counts along', () => {
    const changes = told({ state: 'delayed', provider: 'north' }, { state: 'delayed', provider: 'south' });
    expect(changes).toEqual(['provider=north delayed -1', 'provider=south delayed +1']);
  });

  test('a cause counts only where something is wrong', () => {
    expect(told(undefined, { state: 'delivered', cause: 'other' }).filter((text) => text.startsWith('cause'))).toEqual([]);
  });

  test('whatever way a delivery took, the sums are those of what it is now', () => {
    const states: State[] = ['accepted', 'delayed', 'delivered', 'failed', 'complained', 'withheld', 'expired'];
    const counted = fc.record({
      state: fc.constantFrom(...states),
      cause: fc.constantFrom('mailbox-full' as const, 'policy' as const, undefined),
      provider: fc.constantFrom('north', 'south', undefined),
      accepted: fc.constantFrom(1, 2, undefined),
      delivered: fc.constantFrom(7, undefined),
      imageLoaded: fc.constantFrom(true, undefined),
      linkFollowed: fc.constantFrom(true, undefined),
    });
    fc.assert(
      fc.property(fc.array(counted, { minLength: 1, maxLength: 8 }), (way) => {
        const sums = new Map<string, number>();
        let before: Counted | undefined;
        for (const after of way) {
          for (const { dimension, value, measure, n } of countChanges(before, after, delivery)) {
            const key = `${dimension}=${value} ${measure}`;
            sums.set(key, (sums.get(key) ?? 0) + n);
          }
          before = after;
        }
        const left = [...sums].filter(([, n]) => n !== 0).map(([key, n]) => `${key} ${n > 0 ? '+' : ''}${n}`);
        expect(left.sort()).toEqual(told(undefined, way[way.length - 1] as Counted));
      }),
    );
  });
});

group('spans by bucket', () => {
  test('grow with the time, and tell it within a tenth', () => {
    fc.assert(
      fc.property(fc.integer({ min: 100, max: 90_000_000 }), (ms) => {
        const bucket = bucketOf(ms);
        expect(bucketOf(ms + Math.ceil(ms / 2))).toBeGreaterThan(bucket);
        const found = percentile(new Map([[bucket, 1]]), 0.5) ?? 0;
        expect(Math.abs(found - ms) / ms).toBeLessThan(0.1);
      }),
    );
    expect([bucketOf(0), bucketOf(-5), bucketOf(10), bucketOf(Number.MAX_SAFE_INTEGER)]).toEqual([0, 0, 0, 95]);
  });

  test('parts lie where so many are below', () => {
    const counts = new Map([
      [bucketOf(100), 90],
      [bucketOf(10_000), 10],
    ]);
    expect(percentile(counts, 0.5)).toBeLessThan(120);
    expect(percentile(counts, 0.9)).toBeLessThan(120);
    expect(percentile(counts, 0.95)).toBeGreaterThan(8000);
    expect(percentile(new Map(), 0.5)).toBeUndefined();
  });
});

group('rules', () => {
  const rule = (over: AlertRule['over'], least = 5): AlertRule => ({ name: 'r', minutes: 15, over, least });
  const count = (events: number, handovers = 100, queueSeconds = 0) => ({ events, handovers, queueSeconds });
  test.each([
    [rule({ percent: 5 }), count(4, 10), false, false],
    [rule({ percent: 5 }), count(5, 100), false, false],
    [rule({ percent: 5 }), count(6, 100), false, true],
    // It is over only when it has come down to seven tenths.
    [rule({ percent: 10 }), count(8, 100), true, true],
    [rule({ percent: 10 }), count(7, 100), true, false],
    [rule({ percent: 10 }), count(8, 100), false, false],
    // Late bounces may outnumber what goes out.
    [rule({ percent: 99 }), count(50, 0), false, true],
    [rule({ count: 5 }), count(5), false, false],
    [rule({ count: 5 }), count(6), false, true],
    [rule({ queueSeconds: 300 }), count(0, 0, 301), false, true],
    [rule({ queueSeconds: 300 }), count(0, 0, 211), true, true],
    [rule({ queueSeconds: 300 }), count(0, 0, 210), true, false],
    [rule({ fewer: 1 }), count(0, 0), false, true],
    [rule({ fewer: 1 }), count(1, 1), true, false],
    [rule({ fewer: 3 }), count(2, 9), false, true],
    [rule({ fewer: 3 }), count(3, 9), false, false],
  ])('%j with %j, firing before: %s', (alertRule, counted, before, firing) => {
    expect(isFiring(alertRule, counted, { wasFiring: before })).toBe(firing);
  });
  test.each([
    // At the end of the span; how long it is.
    ['06:00', '22:00', '2026-01-10T05:59:00Z', 30, true],
    ['06:00', '22:00', '2026-01-10T05:15:00Z', 30, false],
    ['06:00', '22:00', '2026-01-10T04:59:00Z', 30, false],
    ['06:00', '22:00', '2026-01-10T20:59:00Z', 30, true],
    ['06:00', '22:00', '2026-01-10T21:00:00Z', 30, false],
    ['22:00', '02:00', '2026-01-10T23:30:00Z', 60, true],
    ['22:00', '02:00', '2026-01-10T12:00:00Z', 60, false],
    ['06:00', '06:00', '2026-01-10T12:00:00Z', 60, true],
  ])('from %s to %s in a zone an hour ahead: at %s, for %i minutes: %s', (from, to, at, minutes, expected) => {
    const end = Date.parse(at);
    expect(isWithinHours({ from, to, timeZone: 'Europe/Paris' }, end - minutes * 60_000, end)).toBe(expected);
  });
  test('no rate is above a hundred', () => {
    fc.assert(
      fc.property(fc.nat(1000), fc.nat(1000), (events, handovers) => {
        const value = alertValue(rule({ percent: 5 }, 1), count(events, handovers));
        if (value !== undefined) expect(value).toBeLessThanOrEqual(100);
      }),
    );
  });
});
