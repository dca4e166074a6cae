/** @jest-environment jsdom */
import { afterEach, beforeEach, expect, jest, test } from '@jest/globals';
import { RefusedError } from '@verbalis/client';
import { act, render, screen } from '@testing-library/react';
import { useFollow } from './follow.js';

type Options = Parameters<Parameters<typeof useFollow>[0]>[0];
let begun: Options[] = [];
let breakIt: ((error: unknown) => void) | undefined;
let reads = 0;

/** A stream that lasts until the test breaks it. */
async function* stream(options: Options): AsyncGenerator<string> {
  begun.push(options);
  options.onConnection(true);
  yield 'first';
  await new Promise((_done, failed) => {
    breakIt = failed;
  });
}

function Page() {
  const { connection, refusal } = useFollow(stream, { take: () => undefined, began: () => (reads += 1) }, []);
  return <p role="status">{refusal === undefined ? connection : refusal.message}</p>;
}

beforeEach(() => {
  jest.useFakeTimers();
  [begun, reads] = [[], 0];
});
afterEach(() => {
  jest.useRealTimers();
});
const settle = (ms = 0): Promise<void> => act(() => jest.advanceTimersByTimeAsync(ms));
const said = (): string | null => screen.getByRole('status').textContent;

test('what breaks is said, taken up again, and what was missed is read', async () => {
  const { unmount } = render(<Page />);
  await settle();
  expect([said(), reads]).toEqual(['live', 1]);
  breakIt?.(new Error('the line is cut'));
  await settle();
  expect(said()).toBe('lost');
  await settle(5000);
  expect([said(), reads, begun.length]).toEqual(['live', 2, 2]);
  unmount();
  expect(begun[1]?.signal.aborted).toBe(true);
  await settle(10_000);
  expect(begun).toHaveLength(2);
});

test('what is refused is not asked for again', async () => {
  render(<Page />);
  await settle();
  breakIt?.(new RefusedError({ type: 'x', title: 'The filter is not valid', status: 422 }));
  await settle(10_000);
  expect(said()).toContain('The filter is not valid');
  expect(begun).toHaveLength(1);
});
