import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { labelMask } from './index.js';

const DATA = {
  passenger: { givenName: 'Ása', familyName: 'Þórsdóttir' },
  booking: { reference: 'SM-1042', total: 4800, on: 'on' },
  crew: [{ name: '美咲' }, { name: 'Al' }],
};

test.each([
  ['Change this booking', 'Change this booking'],
  ['Manage Ása’s booking', 'Manage …’s booking'],
  ['ÁSA, look at SM-1042', '…, look at …'],
  ['Ása Þórsdóttir', '…'],
  ['美咲さんの予約', '…さんの予約'],
  // A short word occurs in any text, and a name within another word does not count.
  ['Read on', 'Read on'],
  ['All fares', 'All fares'],
  ['Write to asa@post.example', 'Write to …'],
  ['Call +354 555 0100', 'Call …'],
  ['Pay 4800 now', 'Pay … now'],
  ['Week 48', 'Week 48'],
  ['', ''],
])('%j', (label, masked) => {
  expect(labelMask(DATA)(label)).toBe(masked);
});

test('no value of the data that is longer than a word of any text is left', () => {
  const word = fc.stringMatching(/^[A-Za-zäöüé0-9]{3,12}$/);
  fc.assert(
    fc.property(
      fc.array(word, { minLength: 1, maxLength: 5 }),
      fc.array(fc.constantFrom('Read', 'on', 'the', 'pier', '–'), { maxLength: 5 }),
      (values, words) => {
        const label = [...words, ...values].join(' ');
        const left = labelMask({ values })(label).toLowerCase().split(' ');
        for (const value of values) expect(left).not.toContain(value.toLowerCase());
      },
    ),
  );
});

test('data without end costs no more than a little', () => {
  const data = Array.from({ length: 200_000 }, (_, i) => ({ name: `name ${i}` }));
  expect(labelMask(data)('Hello name 7')).toBe('Hello …');
});
