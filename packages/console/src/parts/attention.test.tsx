/** @jest-environment jsdom */
import { expect, test } from '@jest/globals';
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { showTo } from '../test-session.js';
import { Attention } from './attention.js';
import { useSendMatters, useTrackMatters, useTryMatters, writeMatters, type Matter } from './matters.js';

const links = (): (string | null)[] => screen.getAllByRole('link').map((link) => link.textContent);

test('the three most pressing are shown, what must be done first; the rest on request', async () => {
  const matters = ['a', 'b', 'c'].map((text): Matter => ({ level: 'should', text, to: `/${text}` }));
  showTo(<Attention matters={[...matters, { level: 'must', text: 'now', to: '/now' }]} />, { client: {} });
  expect(links()).toEqual(['now', 'a', 'b']);
  await userEvent.setup().click(screen.getByRole('button', { name: '1 more' }));
  expect(links()).toEqual(['now', 'a', 'b', 'c']);
});

test('where nothing needs attention there is nothing', () => {
  showTo(<Attention matters={[]} />, { client: {} });
  expect(screen.queryByRole('list')).toBeNull();
});

test('of templates: errors, warnings, and locales that are missing', () => {
  const bare = { checked: true, locales: ['en'], samples: [], suggestions: 0, errors: 0, warnings: 0, untranslated: [] };
  const list = {
    editable: false,
    testBy: [],
    problems: [],
    templates: [
      { ...bare, name: 'good' },
      { ...bare, name: 'broken', errors: 2, warnings: 1 },
      { ...bare, name: 'half', untranslated: ['fr', 'is'] },
    ],
  };
  expect(writeMatters(list)).toEqual([
    { level: 'must', text: 'broken has 2 errors', to: '/write/templates/broken' },
    { level: 'should', text: 'half is not there in fr, is', to: '/write/templates/half' },
  ]);
  expect(writeMatters(undefined)).toEqual([]);
});

function Sending() {
  return <Attention matters={useSendMatters()} />;
}
function Tracking() {
  return <Attention matters={useTrackMatters()} />;
}
function Trying() {
  return <Attention matters={useTryMatters()} />;
}
const none = <T extends string>(name: T) => ({ list: () => Promise.resolve({ [name]: [] }) });

test('of trying: why an email that one waits for is not there', async () => {
  const message = { id: 'm1', createdAt: new Date().toISOString() };
  const withheld = {
    messages: [
      {
        ...message,
        deliveries: [
          { address: 'liv@post.example', state: 'withheld', cause: 'mailbox-unknown' },
          { address: 'asa@post.example', state: 'accepted' },
        ],
      },
      { ...message, id: 'm2', createdAt: '2020-01-01T00:00:00Z', deliveries: [{ address: 'old@post.example', state: 'withheld' }] },
    ],
  };
  const templates = [
    { name: 'broken', errors: 1 },
    { name: 'good', errors: 0 },
  ];
  const client = {
    templates: { list: () => Promise.resolve({ templates }) },
    quarantine: none('items'),
    messages: { list: () => Promise.resolve(withheld) },
  };
  showTo(<Trying />, { client: client as never });
  await screen.findByText(/broken/);
  expect(links()).toEqual(['broken has 1 error: nothing is made from it', 'Email to liv@post.example was withheld: mailbox-unknown']);
});

test('of sending: providers in trouble, schedules that failed, what is held and what is late', async () => {
  const client = {
    providers: {
      list: () => Promise.resolve({ providers: [{ name: 'relay', kind: 'smtp', state: 'resting', why: 'refused the connection' }] }),
    },
    queue: { get: () => Promise.resolve({ topics: [{ topic: 'bookings', due: 2, oldest: '2020-01-01T00:00:00Z' }] }) },
    holds: { list: () => Promise.resolve({ holds: [{ held: 1 }, { held: 2 }] }) },
    schedules: { list: () => Promise.resolve({ schedules: [{ name: 'weekly', lastRun: { state: 'failed', why: 'no answer' } }] }) },
    bulkSends: none('bulkSends'),
    quarantine: none('items'),
  };
  showTo(<Sending />, { client: client as never });
  await screen.findByText('relay is in trouble: refused the connection');
  await screen.findByText('The last run of weekly failed: no answer');
  await userEvent.setup().click(await screen.findByRole('button', { name: '1 more' }));
  expect(links().slice(2)).toEqual(['3 deliveries are held', '2 deliveries of bookings should have left over a quarter of an hour ago']);
});

test('of tracking: alerts that hold, what waits in quarantine, and consumers that do not answer', async () => {
  const client = {
    alerts: {
      list: () =>
        Promise.resolve({
          alerts: [
            { id: 'w1', text: '12 % failed' },
            { id: 'w2', text: 'over', resolvedAt: '2026-01-01T00:00:00Z' },
          ],
        }),
    },
    quarantine: { list: () => Promise.resolve({ items: [{ title: 'Email to asa@post.example' }] }) },
    subscriptions: {
      list: () => Promise.resolve({ subscriptions: [{ id: 's1', name: 'crm', state: 'active', deadLetters: 3 }] }),
    },
  };
  showTo(<Tracking />, { client: client as never });
  await screen.findByText('12 % failed');
  await screen.findByText('1 item could not be processed: Email to asa@post.example');
  await screen.findByText('3 events could not be delivered to crm');
  expect(links()).toHaveLength(3);
});
