import { expect, test } from '@jest/globals';
import { readAuthor } from './author.js';

test.each([
  ['root@ours.example (Cron Daemon)', 'Cron Daemon'],
  ['Harbour <harbour@ours.example> (office)', 'Harbour'],
  ['harbour@ours.example', ''],
])('the name in %j', (value, name) => {
  expect(readAuthor(value)).toMatchObject({ name });
});

test.each([
  ['harbour@ours.example', 'harbour@ours.example'],
  ['Harbour <harbour@ours.example>', 'harbour@ours.example'],
  ['"Harbour, the <office>" <harbour@ours.example>', 'harbour@ours.example'],
  ['root@ours.example (Cron Daemon)', 'root@ours.example'],
  ['(a (nested, <x@y.example>) note) Harbour <harbour@ours.example>', 'harbour@ours.example'],
  ['CEO <ceo@bank.example>, B <b@ours.example>', undefined],
  ['ceo@bank.example, b@ours.example', undefined],
  ['CEO <ceo@bank.example> <b@ours.example>', undefined],
  ['Bank: ceo@bank.example, b@ours.example;', undefined],
  ['"open <b@ours.example>', undefined],
  ['(open <b@ours.example>', undefined],
  ['', undefined],
])('%j', (value, expected) => {
  const author = readAuthor(value);
  expect('fault' in author ? undefined : `${author.local}@${author.domain}`).toBe(expected);
});
