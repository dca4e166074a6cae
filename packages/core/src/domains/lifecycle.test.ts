import { expect, test } from '@jest/globals';
import { afterCheck, isSigning, neededUntil, type KeyTimes } from './index.js';

const [MINUTE, HOUR, DAY] = [60_000, 3_600_000, 86_400_000];
const NEW: KeyTimes = { publishedAt: null, signsFrom: null, lostAt: null, retiredAt: null };
const START = 1_800_000_000_000;
const check = (times: KeyTimes, after: number, isPublished: boolean | undefined, negativeTtl = 600): KeyTimes =>
  afterCheck(times, { isPublished, negativeTtl, now: START + after });

test('a key signs when it is published and nobody can have kept that it is missing', () => {
  const times = check(check(NEW, 0, false), MINUTE, true);
  expect(isSigning(times, START + MINUTE)).toBe(false);
  expect(isSigning(times, START + 11 * MINUTE - 1)).toBe(false);
  expect(isSigning(times, START + 11 * MINUTE)).toBe(true);
  // Another check in between does not restart the wait.
  expect(check(times, 5 * MINUTE, true)).toEqual(times);
});

test('gone before it signed: the wait starts again', () => {
  const times = check(check(check(NEW, 0, true), MINUTE, false), 2 * MINUTE, true);
  expect(times.signsFrom).toBe(START + 12 * MINUTE);
});

test('gone afterwards: it signs on for a day, and then waits as a new one does', () => {
  const signing = check(NEW, 0, true);
  const lost = check(signing, HOUR, false);
  expect(isSigning(lost, START + HOUR + DAY - 1)).toBe(true);
  expect(isSigning(lost, START + HOUR + DAY)).toBe(false);
  expect(check(lost, 2 * HOUR, false)).toEqual(lost);
  expect(check(lost, 3 * HOUR, true)).toMatchObject({ lostAt: null, signsFrom: signing.signsFrom });
  const over = check(lost, HOUR + DAY, false);
  expect(over).toEqual(NEW);
  expect(check(over, 3 * DAY, true).signsFrom).toBe(START + 3 * DAY + 10 * MINUTE);
});

test('no answer changes nothing; neither does anything about a retired key', () => {
  const signing = check(NEW, 0, true);
  expect(check(signing, HOUR, undefined)).toBe(signing);
  const retired = { ...signing, retiredAt: START + HOUR };
  expect([check(retired, DAY, false), isSigning(retired, START + DAY)]).toEqual([retired, false]);
  expect([neededUntil(signing), neededUntil(retired)]).toEqual([undefined, START + HOUR + 7 * DAY]);
});

test('a negative TTL of years waits for a day, one below zero not at all', () => {
  expect(check(NEW, 0, true, 1e9).signsFrom).toBe(START + DAY);
  expect(check(NEW, 0, true, -5).signsFrom).toBe(START);
});
