import { expect, test } from '@jest/globals';
import { filterText, isMeant, isWithin, type EmailFilter } from './hold.js';

const EMAIL = { template: 'booking', edition: 12, topic: 'bookings', domain: 'post.example', labels: { port: 'vagur' } };

test.each<[EmailFilter, boolean]>([
  [{}, true],
  [{ template: 'booking' }, true],
  [{ template: 'booking', edition: 12, topic: 'bookings', domain: 'post.example', labels: { port: 'vagur' } }, true],
  [{ template: 'booking', edition: 13 }, false],
  [{ domain: 'other.example' }, false],
  [{ labels: { port: 'torsey' } }, false],
  [{ labels: { toString: 'x' } }, false],
])('%j means the email: %s', (filter, expected) => {
  expect(isMeant(filter, EMAIL)).toBe(expected);
});

test('an email without a topic is meant by no topic', () => {
  expect(isMeant({ topic: 'bookings' }, { ...EMAIL, topic: null })).toBe(false);
});

test.each<[EmailFilter, EmailFilter, boolean]>([
  [{ template: 'booking', edition: 12 }, { template: 'booking' }, true],
  [{ template: 'booking' }, { template: 'booking', edition: 12 }, false],
  [{ template: 'booking' }, {}, true],
  [{ labels: { a: '1', b: '2' } }, { labels: { a: '1' } }, true],
  [{}, { labels: { a: '1' } }, false],
])('%j is within %j: %s', (filter, other, expected) => {
  expect(isWithin(filter, other)).toBe(expected);
});

test('a filter in words', () => {
  expect(filterText({ edition: 12, template: 'booking', labels: { port: 'vagur' } })).toBe(
    'template booking, edition 12, label port=vagur',
  );
  expect(filterText({})).toBe('everything');
});
