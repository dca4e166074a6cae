import { fairnessKey } from '@verbalis/core/delivery';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pino } from 'pino';
import { idSince, SYSTEM_CLOCK, type Clock, type Tx } from '../kernel/index.js';
import { BARE_MESSAGE, type DeliveryRow, type MessageRow } from '../features/messages/index.js';
import { openStore, type Store } from './records.js';

/** A store whose writing functions each run in a transaction of their own. */
type Written<S> = {
  [Part in keyof S]: {
    [Name in keyof S[Part]]: S[Part][Name] extends (tx: infer First, ...rest: infer Rest) => infer Result
      ? // A function that reads takes a transaction too, but not only that.
        [First] extends [Tx]
        ? (...rest: Rest) => Promise<Result>
        : S[Part][Name]
      : S[Part][Name];
  };
};

export type TestStore = Written<Omit<Store, keyof Kernel>> & { readonly store: Store; readonly close: () => Promise<void> };
type Kernel = Pick<Store, 'reads' | 'write' | 'writeSoon' | 'writeNow' | 'busy' | 'epoch' | 'close'>;

const WRITES = /^(?:async )?(?:function )?\w*\s*\(?tx\b/;

/** A store on a file of its own, for a test. */
export async function openTestStore(clock: Clock = SYSTEM_CLOCK): Promise<TestStore> {
  const folder = mkdtempSync(join(tmpdir(), 'verbalis-store-'));
  const store = await openStore(join(folder, 'test.sqlite'), { log: pino({ level: 'silent' }), clock });
  const parts = Object.entries(store).map(([name, part]: [string, unknown]) => {
    if (typeof part !== 'object' || part === null || name === 'reads') return [name, part];
    const own = Object.entries(part as Record<string, unknown>).map(([key, value]) =>
      typeof value === 'function' && WRITES.test(value.toString())
        ? [key, (...rest: unknown[]) => store.write((tx) => (value as (...args: unknown[]) => unknown).call(part, tx, ...rest))]
        : [key, value],
    );
    return [name, { ...part, ...(Object.fromEntries(own) as object) }];
  });
  return {
    ...(Object.fromEntries(parts) as object),
    store,
    close: async () => {
      await store.close();
      rmSync(folder, { recursive: true, force: true });
    },
  } as TestStore;
}

let made = 0;
/** Not by `newId`, whose ids never go back: another suite of this process may have made later ones. */
const idAt = (kind: string, at: number): string => `${idSince(kind, at)}${String((made += 1)).padStart(16, '0')}`;

/** A message as it is accepted. @param at milliseconds since the epoch */
export function testMessage(at: number, more: Partial<MessageRow> = {}): MessageRow {
  const id = idAt('m', at);
  return {
    ...BARE_MESSAGE,
    id,
    space: 'harbour',
    edition: 1,
    template: 'booking-confirmed',
    locale: 'en',
    subject: 'Your booking',
    sender: { name: '', address: 'harbour@saltmarsh-ferries.example' },
    to: [],
    headerId: `${id}@saltmarsh-ferries.example`,
    createdAt: at,
    ...more,
  };
}

/** A delivery of a message, due at once. */
export function testDelivery({ id, space, createdAt, sender }: MessageRow, address: string, more: Partial<DeliveryRow> = {}): DeliveryRow {
  return {
    id: idAt('d', createdAt),
    messageId: id,
    space,
    address,
    state: 'queued',
    cause: null,
    attempts: 0,
    createdAt,
    nextAttemptAt: createdAt,
    notBefore: null,
    owner: null,
    fairnessKey: fairnessKey({ urgent: true, space, kept: false, topic: 'bookings' }),
    domain: address.split('@')[1] ?? '',
    senderDomain: sender.address.split('@')[1] ?? '',
    expiresAt: null,
    decidedBy: null,
    avoid: null,
    unfit: null,
    unsettled: null,
    unsettledAt: null,
    heldBy: null,
    heldFrom: null,
    intended: null,
    kept: false,
    sensitive: false,
    ...more,
  };
}
