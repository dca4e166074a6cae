import { expect, test } from '@jest/globals';
import { readFilter, valuesOf } from './index.js';

test.each([
  ['type = failed', ['failed']],
  ['type in [failed, accepted]', ['failed', 'accepted']],
  ['type = failed and domain = "post.example"', ['failed']],
  ['type in [failed, accepted] and type in [accepted, delivered]', ['accepted']],
  ['type = failed and type = accepted', []],
  ['type = failed or type = accepted', ['failed', 'accepted']],
  ['type = failed or domain = "post.example"', undefined],
  ['(type = failed or type = accepted) and cause = policy', ['failed', 'accepted']],
  ['not type = failed', undefined],
  ['type != failed', undefined],
  ['domain = "failed"', undefined],
  ['', undefined],
])('%s: what the type must be', (text, values) => {
  const { filter } = readFilter(text);
  expect(filter === undefined ? 'no filter' : valuesOf(filter, 'type')).toEqual(values);
});
