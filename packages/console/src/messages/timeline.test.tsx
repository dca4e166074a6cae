/** @jest-environment jsdom */
import { expect, test } from '@jest/globals';
import type { Delivery } from '@verbalis/client';
import { cleanup, screen } from '@testing-library/react';
import { showTo } from '../test-session.js';
import { Timeline } from './timeline.js';

const AT = '2026-11-30T08:00:00.000Z';
const BARE: Delivery = {
  id: 'd1',
  address: 'asa@post.example',
  state: 'queued',
  sentence: 'It waits.',
  attempts: [],
  facts: [],
};
const show = (delivery: Partial<Delivery>): void => {
  showTo(<Timeline delivery={{ ...BARE, ...delivery }} createdAt={AT} repairs={undefined} consents={undefined} />);
};

test('what is held says so, although it has no next attempt', () => {
  show({ waitsFor: 'it is held: wrong prices' });
  expect(screen.getByText('It waits').closest('li')?.textContent).toContain('it is held: wrong prices');
});

test('what is due and waits for a provider names its trouble', () => {
  show({ nextAttemptAt: AT, waitsFor: 'relay refused the connection; it is tried again in a minute' });
  expect(screen.getByText('Due; it waits').closest('li')?.textContent).toContain('relay refused the connection');
});

test('an answer that was lost is said at the end, unless a later attempt was accepted', () => {
  const attempt = { number: 1, provider: 'relay', startedAt: AT, endedAt: AT };
  const lost = { ...attempt, outcome: 'uncertain', phase: 'content' } as const;
  const later = '2026-11-30T08:05:00.000Z';
  show({ mayHaveBeenSent: true, attempts: [lost, { ...attempt, number: 2, endedAt: later, outcome: 'deferred' }] });
  expect(screen.getAllByRole('listitem').at(-1)?.textContent).toContain('It may have been sent');
  cleanup();
  show({ mayHaveBeenSent: true, attempts: [lost, { ...attempt, number: 2, endedAt: later, outcome: 'accepted' }] });
  expect(screen.queryByText('It may have been sent')).toBeNull();
});

test('a link that was followed says by whom, and how that is known', () => {
  show({
    state: 'accepted',
    facts: [
      {
        kind: 'link-followed',
        source: 'service',
        at: AT,
        by: 'machine',
        reason: 'within a second of the hand-over',
        link: { url: 'https://saltmarsh-ferries.example/', label: 'Sailings', index: 0, block: '' },
      },
    ],
  });
  const item = screen.getByText('A machine followed the link “Sailings”').closest('li');
  expect(item?.textContent).toContain('within a second of the hand-over');
});
