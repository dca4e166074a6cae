import { expect, test } from '@jest/globals';
import { boundTo, choiceOf } from './choice.js';

const route = [
  { provider: 'north', share: 1 },
  { provider: 'south', share: 0 },
];
const HOUR = 3_600_000;

test.each([
  ['nothing in doubt', null, null, Number.POSITIVE_INFINITY, undefined],
  ['in doubt: it stays', 'north', 0, Number.POSITIVE_INFINITY, 'north'],
  ['not for longer than the operator wants', 'north', 0, 2 * HOUR, 'north'],
  ['after that any may be asked', 'north', 0, HOUR, undefined],
  ['a provider that is gone cannot be asked', 'east', 0, Number.POSITIVE_INFINITY, undefined],
])('%s', (_name, unsettled, unsettledAt, elsewhereMs, expected) => {
  expect(boundTo({ unsettled, unsettledAt }, { route, elsewhereMs, now: HOUR })).toBe(expected);
});

test('what a delivery has been through decides where it goes', () => {
  const row = { senderDomain: 'ours.example', avoid: 'north', unfit: 'east west', unsettled: null, unsettledAt: null };
  expect(choiceOf(row, { route, elsewhereMs: HOUR, now: 0 })).toEqual({
    sender: 'ours.example',
    avoid: 'north',
    unfit: ['east', 'west'],
    only: undefined,
  });
});
