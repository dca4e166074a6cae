import { expect, test } from '@jest/globals';
import type { Client } from '@verbalis/client';
import type { Output } from '../output.js';
import { listEvents } from './events.js';

/** What is printed of pages that come one after the other, and how many were asked for. */
async function printed(pages: readonly { readonly events: readonly unknown[]; readonly nextCursor?: string }[], filter?: string) {
  const said: string[] = [];
  const asked: unknown[] = [];
  const same = (text: string): string => text;
  const output = {
    color: { red: same, green: same, yellow: same, dim: same },
    out: (text: string) => said.push(text),
    note: (text: string) => said.push(text),
  } as unknown as Output;
  const client = {
    events: {
      list: (query: unknown) => {
        asked.push(query);
        return Promise.resolve(pages[Math.min(asked.length, pages.length) - 1]);
      },
    },
  } as unknown as Client;
  await listEvents(client, filter === undefined ? {} : { filter }, output);
  return { said, asked };
}
const EVENT = { id: 'e1', type: 'verbalis.delivery.failed', time: '2026-03-14T09:00:00Z', data: { address: 'asa@post.example' } };

test('a page without events is followed by the next, as long as there is one', async () => {
  const { said, asked } = await printed(
    [{ events: [], nextCursor: 'a' }, { events: [], nextCursor: 'b' }, { events: [EVENT] }],
    'cause = policy',
  );
  expect(asked).toEqual([
    { filter: 'cause = policy' },
    { filter: 'cause = policy', cursor: 'a' },
    { filter: 'cause = policy', cursor: 'b' },
  ]);
  expect(said).toEqual([expect.stringContaining('asa@post.example')]);
});

test('where nothing is found it says what that means', async () => {
  expect((await printed([{ events: [] }])).said).toEqual(['No events yet.']);
  expect((await printed([{ events: [] }], 'cause = policy')).said).toEqual(['No event passes the filter.']);
  const endless = await printed([{ events: [], nextCursor: 'c' }], 'cause = policy');
  expect(endless.said).toEqual(['No event has passed the filter so far; there are older ones.', 'More: --cursor c']);
  expect(endless.asked).toHaveLength(200);
});
