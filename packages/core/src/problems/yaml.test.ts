import { expect, test } from '@jest/globals';
import { isInProportion } from '../../../../tests/support/cpu.js';
import { readYaml, yamlKeyAt } from './index.js';

test('a key that comes twice is a fault, with its place', () => {
  const { faults } = readYaml('a: 1\nb: {c: 1, d: 2, c: 3}\na: 2\n');
  expect(faults).toEqual([
    { message: 'Map keys must be unique', pos: [27, 28] },
    { message: 'Map keys must be unique', pos: [21, 22] },
  ]);
});

test('what is no YAML is a fault, and so is a key that is an anchor twice', () => {
  expect(readYaml('a: [1').faults).toHaveLength(1);
  expect(readYaml('&x a: 1\n*x : 2\n').faults.length).toBeLessThanOrEqual(1);
  expect(readYaml('? [a]\n: 1\n? [a]\n: 2\n').faults).toEqual([]);
});

test('the place of a key', () => {
  const { document } = readYaml('one:\n  two: 3\n');
  expect(yamlKeyAt(document, ['one', 'two'])).toEqual([7, 10]);
  expect(yamlKeyAt(document, ['one', 'nothing'])).toEqual([0, 3]);
  expect(yamlKeyAt(document, ['nothing'])).toBeUndefined();
});

test('ten times as many keys take about ten times as long', () => {
  const [short, long] = [2000, 20_000].map((keys) => Array.from({ length: keys }, (_, i) => `key-${i}: "x"`).join('\n'));
  expect(
    isInProportion(
      10,
      () => readYaml(short!),
      () => readYaml(long!),
    ),
  ).toBe(true);
});
