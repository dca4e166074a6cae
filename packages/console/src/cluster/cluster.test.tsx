/** @jest-environment jsdom */
import { expect, test } from '@jest/globals';
import type { Client } from '@verbalis/client';
import { screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { showTo } from '../test-session.js';
import { Cluster } from './cluster.js';

type State = Awaited<ReturnType<Client['cluster']['get']>>;

const node = { version: '0.1.0', record: 8, behind: 0, lagSeconds: 0, takesOver: true, heardAt: '2026-11-30T08:00:00Z' };
const HEALTHY: State = {
  state: 'healthy',
  node: 'a',
  role: 'primary',
  primary: { node: 'a', since: '2026-11-30T07:00:00Z' },
  nodes: [
    { ...node, node: 'a', role: 'primary' },
    { ...node, node: 'b', role: 'standby' },
  ],
  log: { first: 1, last: 8, bytes: 84_000, mostBytes: 2_000_000, replicas: 3, present: 3 },
};

function shown(state: State) {
  const drained: unknown[] = [];
  const drain = (wanted: unknown) => {
    drained.push(wanted);
    return Promise.resolve({ drained: true });
  };
  showTo(<Cluster />, { client: { cluster: { get: () => Promise.resolve(state), drain } } });
  return drained;
}

test('the primary is given away only after a question', async () => {
  const drained = shown(HEALTHY);
  const person = userEvent.setup();
  await person.click(await screen.findByRole('button', { name: 'Give the primary to a standby' }));
  expect(screen.getByRole('alertdialog').textContent).toContain('a finishes what is under way');
  expect(drained).toEqual([]);
  await person.click(screen.getByRole('button', { name: 'Give it' }));
  await waitFor(() => {
    expect(drained).toEqual([{ drained: true }]);
  });
});

test('where nobody could take over, the page says so and offers nothing that would stop everything', async () => {
  shown({ ...HEALTHY, state: 'no-standby', nodes: HEALTHY.nodes.slice(0, 1) });
  expect((await screen.findByRole('status')).textContent).toContain('No standby could take over');
  expect(screen.queryByRole('button', { name: /Give/ })).toBeNull();
});

test('where a broker is missing, the page says so, and the primary can still be given away', async () => {
  const problem = '2 of 3 brokers have the log. If another one is lost, nothing is accepted.';
  shown({ ...HEALTHY, state: 'broker-missing', problem, log: { ...HEALTHY.log!, present: 2 } });
  expect((await screen.findByRole('status')).textContent).toBe(problem);
  expect(screen.getByText('2 of 3 have the log')).toBeTruthy();
  expect(screen.getByRole('button', { name: 'Give the primary to a standby' })).toBeTruthy();
});

test('a service on its own says how it would begin', async () => {
  shown({ state: 'off', nodes: [] });
  expect(await screen.findByText('verbalis cluster init')).toBeTruthy();
});
