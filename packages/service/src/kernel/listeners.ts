/** Those who want to know when something changed. */
export interface Listeners {
  /** @returns what ends it */
  readonly add: (listener: () => void) => () => void;
  readonly call: () => void;
}

export function listeners(): Listeners {
  const all = new Set<() => void>();
  return {
    add: (listener) => {
      all.add(listener);
      return () => all.delete(listener);
    },
    call: () => {
      for (const listener of all) listener();
    },
  };
}
