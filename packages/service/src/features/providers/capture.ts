import type { Job, Provider } from './provider.js';

/** Takes every mail and sends none: `keep` puts it where it can be looked at. */
export function captureProvider(keep: (job: Job) => Promise<void>): Provider {
  return {
    name: 'capture',
    kind: 'capture',
    where: 'this service',
    hand: async (job) => {
      await keep(job);
      return { kind: 'accepted', phase: 'content', reply: undefined, reason: 'Captured: kept to be looked at, not sent.' };
    },
    examine: () => Promise.resolve([{ step: 'capture', ok: true, milliseconds: 0, detail: 'Keeps every mail here; nothing leaves.' }]),
    close: () => undefined,
  };
}
