/** @jest-environment jsdom */
import { beforeEach, expect, test } from '@jest/globals';
import { act, render, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { baseOf, usePlace, withoutSpace } from './place.js';

function Page() {
  const { space, enter } = usePlace();
  return (
    <>
      <p role="status">{space ?? 'none'}</p>
      <button type="button" onClick={() => enter('drydock', '/try', 'push')}>
        enter
      </button>
    </>
  );
}
beforeEach(() => window.history.replaceState(null, '', '/'));

test.each([
  ['/in/harbour/track/messages/m01', '/track/messages/m01'],
  ['/in/harbour', '/'],
  ['/track', '/track'],
  // A name that only begins like it does not count.
  ['/inbound', '/inbound'],
])('%s without its space is %s', (address, path) => {
  expect(withoutSpace(address)).toBe(path);
});

test('the address says which space is meant, also after going back', async () => {
  window.history.replaceState(null, '', `${baseOf('harbour')}/track?state=failed`);
  render(<Page />);
  expect(screen.getByRole('status').textContent).toBe('harbour');
  await userEvent.click(screen.getByRole('button', { name: 'enter' }));
  expect([screen.getByRole('status').textContent, window.location.pathname]).toEqual(['drydock', '/in/drydock/try']);
  window.history.replaceState(null, '', '/in/harbour/track');
  act(() => {
    window.dispatchEvent(new PopStateEvent('popstate'));
  });
  expect(screen.getByRole('status').textContent).toBe('harbour');
});
