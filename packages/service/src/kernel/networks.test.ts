import { expect, test } from '@jest/globals';
import { isLoopback, networks, plainAddress, sourceOf } from './networks.js';

test.each([
  ['203.0.113.9', '203.0.113.9'],
  ['::ffff:203.0.113.9', '203.0.113.9'],
  ['2001:db8::1', '2001:db8:0:0'],
  ['2001:db8::ffff:2', '2001:db8:0:0'],
  ['2001:db8:0:1::1', '2001:db8:0:1'],
  ['', ''],
])('the source of %s is %s', (address, source) => {
  expect(sourceOf(address)).toBe(source);
});

test('addresses and networks of both kinds', () => {
  const isOurs = networks(['10.0.0.0/8', '192.0.2.1', 'fd00::/8']);
  expect(['10.1.2.3', '192.0.2.1', 'fd12::1', '11.0.0.1', '192.0.2.2', 'fe80::1', 'nowhere', ''].map(isOurs)).toEqual([
    true,
    true,
    true,
    false,
    false,
    false,
    false,
    false,
  ]);
  expect(() => networks(['nowhere/8'])).toThrow('"nowhere/8" is neither an address nor a network.');
  expect([plainAddress('::ffff:127.0.0.1'), '127.9.9.9', '::1'].map(isLoopback)).toEqual([true, true, true]);
});
