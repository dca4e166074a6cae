/** @jest-environment jsdom */
import { expect, test } from '@jest/globals';
import { RefusedError, type Client, type PersonView } from '@verbalis/client';
import { screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { showTo } from '../test-session.js';
import { People } from './people.js';

type NewPerson = Parameters<Client['people']['invite']>[0];

const VERA: PersonView = {
  id: 'f1',
  email: 'vera.holm@saltmarsh-ferries.example',
  name: 'Vera Holm',
  grants: [{ space: 'harbour', role: 'viewer', content: false }],
  invitedBy: 'operator’s secret',
  createdAt: '2026-11-30T08:00:00Z',
  sessions: 0,
};
const nobody = { sessions: { list: () => Promise.resolve({ sessions: [] }) } };

test('an invitation says who may do what where, and shows a link only where it was not sent', async () => {
  const asked: NewPerson[] = [];
  const client = {
    ...nobody,
    people: {
      list: () => Promise.resolve({ people: [VERA] }),
      invite: (wanted: NewPerson) => {
        asked.push(wanted);
        const url = wanted.send === false ? 'https://mail.saltmarsh-ferries.example/sign-in#token=abc' : undefined;
        return Promise.resolve({
          ...VERA,
          email: wanted.email,
          invitation: { url, sentThrough: 'harbour', endsAt: '2026-12-07T08:00:00Z' },
        });
      },
    },
  };
  showTo(<People />, { client });
  const person = userEvent.setup();
  const form = await screen.findByRole('form', { name: 'Invite a person' });
  await person.type(within(form).getByLabelText('Address'), 'mara.voss@saltmarsh-ferries.example');
  await person.selectOptions(within(form).getByLabelText('Role in harbour'), 'member');
  await person.selectOptions(within(form).getByLabelText('Role in drydock'), 'viewer+content');
  await person.click(within(form).getByRole('button', { name: 'Invite' }));
  await screen.findByText(/A link is on its way to mara\.voss@/);
  expect(asked[0]).toMatchObject({
    email: 'mara.voss@saltmarsh-ferries.example',
    send: true,
    grants: [
      { space: 'harbour', role: 'member', content: false },
      { space: 'drydock', role: 'viewer', content: true },
    ],
  });
  // What was filled in does not stay for the next one.
  const again = screen.getByRole('form', { name: 'Invite a person' });
  expect(within(again).getByLabelText<HTMLInputElement>('Address').value).toBe('');
  await person.type(within(again).getByLabelText('Address'), 'owen.pike@saltmarsh-ferries.example');
  await person.click(within(again).getByLabelText(/Show me the link/));
  await person.click(within(again).getByRole('button', { name: 'Invite' }));
  await screen.findByText('https://mail.saltmarsh-ferries.example/sign-in#token=abc');
});

test('a refusal names what is wrong and keeps what was filled in', async () => {
  const problem = {
    type: 'x',
    title: 'The request is not valid',
    status: 422,
    problems: [{ path: 'email', message: 'is not a valid address' }],
  };
  const client = {
    ...nobody,
    people: {
      list: () => Promise.resolve({ people: [] }),
      invite: () => Promise.reject(new RefusedError(problem)),
    },
  };
  showTo(<People />, { client });
  const person = userEvent.setup();
  const address = await screen.findByLabelText<HTMLInputElement>('Address');
  await person.type(address, 'nonsense');
  await person.click(screen.getByRole('button', { name: 'Invite' }));
  expect((await screen.findByRole('alert')).textContent).toContain('email is not a valid address');
  expect(address.value).toBe('nonsense');
});

test('nobody can change or remove themselves; others than operators see their own sessions only', async () => {
  const client = { ...nobody, people: { list: () => Promise.resolve({ people: [VERA] }) } };
  const shown = showTo(<People />, { client, person: VERA });
  await screen.findByText('This is you');
  expect(screen.queryByRole('button', { name: /^Remove/ })).toBeNull();
  shown.unmount();
  showTo(<People />, { client, operator: false });
  await screen.findByRole('heading', { name: 'Your sessions' });
  await waitFor(() => expect(screen.queryByRole('form', { name: 'Invite a person' })).toBeNull());
});
