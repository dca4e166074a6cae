import type { Clock } from '../../kernel/index.js';

/** Calls of a provider in which its profile found nothing. */
export interface Meaningless {
  /** Since the start. */
  readonly calls: number;
  /** The last one, in milliseconds since the epoch, and why. */
  readonly at: number;
  readonly why: string;
}

/** Which providers call with what their profile finds nothing in, since the start. */
export interface MeaninglessCalls {
  readonly byProvider: ReadonlyMap<string, Meaningless>;
  readonly onChange: (listener: () => void) => void;
  readonly add: (provider: string, why: string) => void;
}

export function meaninglessCalls(clock: Clock): MeaninglessCalls {
  const byProvider = new Map<string, Meaningless>();
  const listeners: (() => void)[] = [];
  return {
    byProvider,
    onChange: (listener) => {
      listeners.push(listener);
    },
    add: (provider, why) => {
      byProvider.set(provider, { calls: (byProvider.get(provider)?.calls ?? 0) + 1, at: clock.now(), why });
      for (const listener of listeners) listener();
    },
  };
}
