import { ProviderSlots, type Slot, type SlotRequest } from '@verbalis/core/delivery';
import type { Outcome } from '@verbalis/core/smtp';
import { NOT_SENT, type Gate, type Job } from './provider.js';

/** Who gets a connection; undefined when none came free in time. Call it to give the connection back. */
export type Release = () => void;

interface Waiting {
  readonly request: SlotRequest;
  readonly admit: (release: Release | undefined) => void;
}

/** How long an email that was made ahead waits for a connection before it is offered elsewhere. In milliseconds. */
const PATIENCE_MS = 5000;

const QUICK = { speed: 'quick', cap: Number.POSITIVE_INFINITY, until: undefined } as const;

/**
 * Divides the connections of a provider: what is urgent first, and never all of them to what can wait, to one space, or to one recipient
 * domain. Emails are made ahead and wait here, so that no connection waits for them.
 */
export function admission(connections: number, own: { readonly isPacedByDomain: boolean; readonly isShared: boolean }) {
  const slots = new ProviderSlots(connections, { ...own, ahead: 0 });
  const waiting: Waiting[] = [];

  function begin(request: SlotRequest): Release | undefined {
    if (slots.refusalFor(request, QUICK, () => 'quick') !== undefined) return undefined;
    const slot: Slot = { ...request, provider: '', sender: '', since: 0, probes: [] };
    slots.add(slot);
    return () => {
      slots.remove(slot);
      admitMore();
    };
  }

  function admitMore(): void {
    for (let i = 0; i < waiting.length; i += 1) {
      const { request, admit } = waiting[i] as Waiting;
      const release = begin(request);
      if (release === undefined) continue;
      waiting.splice(i, 1);
      i -= 1;
      admit(release);
    }
  }

  function wait(request: SlotRequest): Promise<Release | undefined> {
    return new Promise((resolve) => {
      const entry: Waiting = {
        request,
        admit: (release) => {
          clearTimeout(timer);
          resolve(release);
        },
      };
      const timer = setTimeout(() => {
        waiting.splice(waiting.indexOf(entry), 1);
        resolve(undefined);
      }, PATIENCE_MS);
      // In order of time, the urgent before the others.
      const behind = waiting.findIndex(({ request: other }) => request.urgent && !other.urgent);
      waiting.splice(behind === -1 ? waiting.length : behind, 0, entry);
    });
  }

  /** Does some work with a connection, once one is free. */
  return async ({ request }: Pick<Job, 'request'>, { reached }: Gate, work: () => Promise<Outcome>): Promise<Outcome> => {
    const release = begin(request) ?? (await wait(request));
    if (release === undefined) {
      reached('gave-up', 0);
      return NOT_SENT;
    }
    try {
      return await work();
    } finally {
      release();
    }
  };
}

/** A step of a hand-over takes long from here on, in milliseconds. */
const LATE_MS = 1000;

/** Reports a step when it takes long. @returns a function that ends it */
export function reportLate({ reached }: Gate, step: 'opening' | 'connected'): () => void {
  const timer = setTimeout(() => {
    reached(step, LATE_MS);
  }, LATE_MS);
  return () => {
    clearTimeout(timer);
  };
}

/** A gate for what has a connection: it is reported when it does not come to the content soon. */
export function gateOfConnected(gate: Gate): Gate & { readonly ended: () => void } {
  const ended = reportLate(gate, 'connected');
  return {
    ...gate,
    mayLeave: () => {
      ended();
      return gate.mayLeave();
    },
    ended,
  };
}
