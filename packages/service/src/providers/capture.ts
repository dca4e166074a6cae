import type { Provider } from './provider.js';

/** Takes every mail and sends none: the mail is kept with its message, to be looked at. */
export function captureProvider(): Provider {
  return {
    name: 'capture',
    hand: () =>
      Promise.resolve({ kind: 'accepted', phase: 'content', reply: undefined, reason: 'Captured: kept to be looked at, not sent.' }),
    close: () => undefined,
  };
}
