import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { RefusedError, UnreachableError, type Client } from '@verbalis/client';
import { freePort, wait } from '../cluster/brokers.js';
import type { Offered } from './prove-report.js';
import { BEHAVIOURS, type Behaviour, type World } from './prove-world.js';

export { freePort, wait };

/** The mail folder whose first template is sent. */
export const STARTER = fileURLToPath(new URL('../../starter/', import.meta.url));
/** So many apps offer messages at once. */
const APPS = 8;
/** One message in so many goes to a domain that answers slowly. */
const TARPIT_ONE_OF = 100;
/** How long the service may take to end everything after the last fault. */
const SETTLE_MS = 180_000;
/** Nothing has arrived for so long. */
const SETTLED_MS = 1000;

function sample(): { readonly template: string; readonly data: Record<string, unknown> } {
  const [template = ''] = readdirSync(join(STARTER, 'templates'));
  const samples = join(STARTER, 'templates', template, 'samples');
  const [name = ''] = readdirSync(samples);
  return { template, data: JSON.parse(readFileSync(join(samples, name), 'utf8')) as Record<string, unknown> };
}

/** The service is unreachable, or does not accept requests at the moment: both are answered by repeating the call with the same key. */
const isForAWhile = (error: unknown): boolean =>
  error instanceof UnreachableError || (error instanceof RefusedError && error.problem.status === 503);

/** Offers messages until `end` is called. Each has an idempotency key, so that repeating a call whose answer was lost does not add a message. */
export function offering(client: () => Pick<Client, 'messages'>) {
  const { template, data } = sample();
  const names = (Object.keys(BEHAVIOURS) as Behaviour[]).filter((name) => name !== 'tarpit');
  const offered: Offered[] = [];
  const end = new AbortController();
  const offerOne = async (n: number): Promise<void> => {
    const behaviour = n % TARPIT_ONE_OF === 0 ? 'tarpit' : (names[n % names.length] as Behaviour);
    const address = `${behaviour}-${n}@${behaviour === 'tarpit' ? 'tarpit' : `post${n % 7}`}.example`;
    for (;;) {
      try {
        const message = await client().messages.send({ template, to: [address], data }, { idempotencyKey: `proof-${n}` });
        offered.push({ id: message.id, address, behaviour });
        return;
      } catch (error) {
        if (!isForAWhile(error)) throw error;
        await wait(20);
      }
    }
  };
  let next = 0;
  const offerAll = async (): Promise<void> => {
    while (!end.signal.aborted) {
      next += 1;
      await offerOne(next);
    }
  };
  const done = Promise.all(Array.from({ length: APPS }, offerAll));
  return {
    offered,
    end: () => {
      end.abort();
      return done;
    },
  };
}

/** Waits until nothing waits and nothing more arrives, but not longer than the time for it. */
export async function settled(client: Client, world: World): Promise<void> {
  const end = Date.now() + SETTLE_MS;
  let before = -1;
  while (Date.now() < end) {
    const { waiting } = await client.queue.get();
    const { subscriptions } = await client.subscriptions.list();
    const isBehind = subscriptions.some(({ url, behind, waiting: own }) => url === world.consumerUrl && (behind > 0 || own > 0));
    if (waiting === 0 && !isBehind && world.reportsDue() === 0 && world.arrivals() === before) return;
    before = world.arrivals();
    await wait(SETTLED_MS);
  }
}
