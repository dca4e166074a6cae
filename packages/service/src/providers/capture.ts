import type { Provider } from './provider.js';

/** Takes every mail and sends none: the mail is kept with its message, to be looked at. */
export function captureProvider(): Provider {
  return {
    name: 'capture',
    kind: 'capture',
    where: 'this service',
    hand: () =>
      Promise.resolve({ kind: 'accepted', phase: 'content', reply: undefined, reason: 'Captured: kept to be looked at, not sent.' }),
    examine: () => Promise.resolve([{ step: 'capture', ok: true, milliseconds: 0, detail: 'Keeps every mail here; nothing leaves.' }]),
    close: () => undefined,
  };
}
