import { describe, expect, test } from '@jest/globals';
import { Temporal } from 'temporal-polyfill';
import { readTimes, type Times } from './recurrence.js';

function timesOf(times: Partial<Times>) {
  const read = readTimes({ starts: '2026-01-02T05:00', timeZone: 'Europe/Paris', repeat: undefined, ...times });
  if ('fault' in read) throw new Error(`${read.part} ${read.fault}`);
  return read;
}

/** The next times after a moment, as a clock in the zone and its offset show them. */
function next(times: Partial<Times>, after: string, most = 4): string[] {
  const { after: nextAfter } = timesOf(times);
  const out: string[] = [];
  let at = Date.parse(after);
  while (out.length < most) {
    const found = nextAfter(at);
    if (found === undefined) break;
    at = found;
    const zoned = Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(times.timeZone ?? 'Europe/Paris');
    out.push(zoned.toString({ smallestUnit: 'minute', timeZoneName: 'never' }));
  }
  return out;
}

describe('times of a schedule', () => {
  test.each<readonly [string, Partial<Times>, string, readonly string[]]>([
    ['once', {}, '2026-01-01T00:00:00Z', ['2026-01-02T05:00+01:00']],
    ['not again', {}, '2026-01-02T04:00:00Z', []],
    [
      'weekly, the same hour in winter and summer',
      { repeat: 'FREQ=WEEKLY;BYDAY=FR' },
      '2026-03-20T12:00:00Z',
      ['2026-03-27T05:00+01:00', '2026-04-03T05:00+02:00', '2026-04-10T05:00+02:00', '2026-04-17T05:00+02:00'],
    ],
    [
      'weekly over the end of summer time',
      { repeat: 'FREQ=WEEKLY;BYDAY=FR' },
      '2026-10-20T00:00:00Z',
      ['2026-10-23T05:00+02:00', '2026-10-30T05:00+01:00', '2026-11-06T05:00+01:00', '2026-11-13T05:00+01:00'],
    ],
    [
      'a clock time that is skipped in spring is the end of the gap',
      { starts: '2026-01-01T02:30', repeat: 'FREQ=DAILY' },
      '2026-03-28T00:00:00Z',
      ['2026-03-28T02:30+01:00', '2026-03-29T03:00+02:00', '2026-03-30T02:30+02:00', '2026-03-31T02:30+02:00'],
    ],
    [
      'a clock time that comes twice in autumn is the first',
      { starts: '2026-01-01T02:30', repeat: 'FREQ=DAILY' },
      '2026-10-24T12:00:00Z',
      ['2026-10-25T02:30+02:00', '2026-10-26T02:30+01:00', '2026-10-27T02:30+01:00', '2026-10-28T02:30+01:00'],
    ],
    [
      'hourly: the skipped hour and the one after it are one time',
      { starts: '2026-01-01T00:00', repeat: 'FREQ=HOURLY' },
      '2026-03-29T00:30:00+01:00',
      ['2026-03-29T01:00+01:00', '2026-03-29T03:00+02:00', '2026-03-29T04:00+02:00', '2026-03-29T05:00+02:00'],
    ],
    [
      'from within the hour that comes again, nothing that was',
      { starts: '2026-01-01T00:00', repeat: 'FREQ=HOURLY;BYMINUTE=0,30' },
      '2026-10-25T02:10:00+01:00',
      ['2026-10-25T03:00+01:00', '2026-10-25T03:30+01:00', '2026-10-25T04:00+01:00', '2026-10-25T04:30+01:00'],
    ],
    [
      'the last day of the month',
      { starts: '2026-01-01T09:00', repeat: 'FREQ=MONTHLY;BYMONTHDAY=-1' },
      '2026-01-31T12:00:00Z',
      ['2026-02-28T09:00+01:00', '2026-03-31T09:00+02:00', '2026-04-30T09:00+02:00', '2026-05-31T09:00+02:00'],
    ],
    [
      'every other week counts from the start, however long ago',
      { starts: '2006-01-06T05:00', repeat: 'FREQ=WEEKLY;INTERVAL=2;BYDAY=FR' },
      '2026-11-27T12:00:00Z',
      ['2026-12-11T05:00+01:00', '2026-12-25T05:00+01:00', '2027-01-08T05:00+01:00', '2027-01-22T05:00+01:00'],
    ],
    ['a date as the end counts to its end', { repeat: 'FREQ=DAILY;UNTIL=20260103' }, '2026-01-02T12:00:00Z', ['2026-01-03T05:00+01:00']],
    [
      'an instant as the end counts by the zone',
      { repeat: 'FREQ=DAILY;UNTIL=20260104T035959Z' },
      '2026-01-01T00:00:00Z',
      ['2026-01-02T05:00+01:00', '2026-01-03T05:00+01:00'],
    ],
    ['so many times', { repeat: 'FREQ=DAILY;COUNT=2' }, '2026-01-01T00:00:00Z', ['2026-01-02T05:00+01:00', '2026-01-03T05:00+01:00']],
    [
      'rare ones are found',
      { repeat: 'FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29' },
      '2026-01-01T00:00:00Z',
      ['2028-02-29T05:00+01:00', '2032-02-29T05:00+01:00', '2036-02-29T05:00+01:00', '2040-02-29T05:00+01:00'],
    ],
    [
      'in a zone with half an hour of summer time',
      { starts: '2026-01-01T02:10', repeat: 'FREQ=DAILY', timeZone: 'Australia/Lord_Howe' },
      '2026-10-02T12:00:00Z',
      ['2026-10-03T02:10+10:30', '2026-10-04T02:30+11:00', '2026-10-05T02:10+11:00', '2026-10-06T02:10+11:00'],
    ],
    [
      'in a zone that left a whole day out',
      { starts: '2011-12-01T05:00', repeat: 'FREQ=DAILY', timeZone: 'Pacific/Apia' },
      '2011-12-29T00:00:00Z',
      ['2011-12-29T05:00-10:00', '2011-12-31T00:00+14:00', '2011-12-31T05:00+14:00', '2012-01-01T05:00+14:00'],
    ],
  ])('%s', (_, times, after, expected) => {
    expect(next(times, after, Math.max(expected.length, 4)).slice(0, 4)).toEqual(expected);
  });

  test('of every day of ten years, weekly times in any zone are those of a calendar', () => {
    for (const timeZone of ['America/New_York', 'Africa/Cairo', 'America/Santiago']) {
      const { after } = timesOf({ starts: '2020-01-03T05:00', repeat: 'FREQ=WEEKLY;BYDAY=FR', timeZone });
      let at = Date.parse('2020-01-01T00:00:00Z');
      for (let day = Temporal.PlainDate.from('2020-01-03'); day.year < 2030; day = day.add({ days: 7 })) {
        const expected = day.toZonedDateTime({ timeZone, plainTime: '05:00' }).epochMilliseconds;
        const found = after(at);
        expect(found).toBe(expected);
        at = expected;
      }
    }
  });

  test('what has never been asked with the same answer twice: times only go up', () => {
    const { after } = timesOf({ starts: '2026-01-01T00:00', repeat: 'FREQ=HOURLY;BYMINUTE=0,17,45' });
    let at = Date.parse('2026-10-24T20:00:00Z');
    for (let i = 0; i < 100; i += 1) {
      const found = after(at) ?? 0;
      expect(found).toBeGreaterThan(at);
      // From anywhere in between it is the same one.
      expect(after(at + Math.floor((found - at) / 2))).toBe(found);
      at = found;
    }
  });

  test.each([
    ['starts', { starts: '2026-02-30T05:00' }, 'is not a valid time'],
    ['starts', { starts: '2026-01-02T05:00Z' }, 'is not a valid time'],
    ['starts', { starts: 'tomorrow' }, 'is not a valid time'],
    ['repeat', { repeat: 'every Friday' }, 'has no meaning for "EVERY FRIDAY"'],
    ['repeat', { repeat: 'BYDAY=FR' }, 'has no FREQ'],
    ['repeat', { repeat: 'FREQ=MINUTELY' }, 'repeats more often than hourly'],
    ['repeat', { repeat: 'FREQ=WEEKLY;BYDAY=FRI' }, 'has a value of BYDAY that is not valid: "FRI"'],
    ['repeat', { repeat: 'FREQ=DAILY;BYHOUR=25' }, 'has a value of BYHOUR that is not valid: "25"'],
    ['repeat', { repeat: 'FREQ=DAILY;INTERVAL=0' }, 'has a value of INTERVAL that is not valid: "0"'],
    ['repeat', { repeat: 'FREQ=DAILY;FREQ=WEEKLY' }, 'has FREQ twice'],
    ['repeat', { repeat: 'FREQ=DAILY;COUNT=2;UNTIL=20270101' }, 'has both COUNT and UNTIL; one of them can end it'],
    ['repeat', { repeat: 'FREQ=DAILY;UNTIL=20271301' }, /^is not a valid rule/],
    ['repeat', { repeat: 'FREQ=WEEKLY;BYDAY=1FR' }, /^is not a valid rule/],
    ['repeat', { repeat: `FREQ=DAILY;BYMONTH=${'1,'.repeat(300)}1` }, 'is longer than 500 characters'],
    ['repeat', { repeat: 'FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30' }, 'never occurs'],
    ['repeat', { repeat: 'FREQ=DAILY;BYMONTH=4;BYMONTHDAY=31' }, 'never occurs'],
    ['repeat', { repeat: 'FREQ=WEEKLY;BYDAY=FR;BYSETPOS=3' }, 'has BYSETPOS, which needs FREQ=MONTHLY or YEARLY'],
    ['repeat', { repeat: 'FREQ=MONTHLY;BYDAY=FR;BYSETPOS=6' }, 'never occurs'],
    ['repeat', { repeat: 'FREQ=HOURLY;BYMONTH=2;BYMONTHDAY=30;BYHOUR=3' }, 'never occurs'],
    ['repeat', { repeat: 'FREQ=DAILY;UNTIL=20251231' }, 'never occurs'],
    ['repeat', { repeat: 'FREQ=DAILY;__proto__=1' }, /^has no meaning for/],
  ] as const)('%s %j is a fault', (part, times, fault) => {
    const read = readTimes({ starts: '2026-01-02T05:00', timeZone: 'Europe/Paris', repeat: undefined, ...times });
    expect(read).toMatchObject({ part, fault: typeof fault === 'string' ? fault : expect.stringMatching(fault) });
  });
});
