import { expect, test } from '@jest/globals';
import { HTTP_VERDICTS, httpVerdictRow, namesRecipient } from './index.js';

test.each([
  [200, 'accepted', undefined],
  [202, 'accepted', undefined],
  [302, 'trouble', 'provider'],
  [400, 'rejected', undefined],
  [401, 'trouble', 'provider'],
  [402, 'trouble', 'provider'],
  [403, 'trouble', 'sender'],
  [404, 'trouble', 'provider'],
  [409, 'deferred', undefined],
  [413, 'rejected', undefined],
  [422, 'rejected', undefined],
  [429, 'trouble', 'provider'],
  // The request was read: what happened then is not known.
  [500, 'uncertain', undefined],
  [502, 'uncertain', undefined],
  [503, 'trouble', 'provider'],
  [504, 'uncertain', undefined],
  [599, 'uncertain', undefined],
])('%i is %s', (status, kind, scope) => {
  expect(httpVerdictRow(status)).toMatchObject({ kind });
  expect(httpVerdictRow(status).scope).toBe(scope);
});

test('every status has a meaning, and every row decides something', () => {
  const used = new Set(Array.from({ length: 500 }, (_, i) => httpVerdictRow(100 + i)));
  expect(used.size).toBe(HTTP_VERDICTS.length);
  for (const row of used) if (row.kind === 'trouble') expect(row.scope).toBeDefined();
});

test.each([
  ['No such user: asa@post.example', undefined, true],
  ['The mailbox is full', undefined, true],
  ['Recipient refused', '5.1.1', true],
  ['The field "subject" is missing', undefined, false],
  ['Attachment is too large', undefined, false],
  ['Message looks like spam', undefined, false],
  ['', undefined, false],
])('"%s" %s names the recipient: %s', (text, status, expected) => {
  expect(namesRecipient(text, status)).toBe(expected);
});
