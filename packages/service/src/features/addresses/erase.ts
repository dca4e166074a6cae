import { Refusal, type Clock, type Tx } from '../../kernel/index.js';
import type { MessageRow } from '../messages/index.js';
import { hiddenKey } from '../suppressions/index.js';
import type { Erasures, Ledger } from './ledger.js';
import { mentionOf } from './mention.js';
import type { Subject } from './queries.js';
import type { Store } from './store.js';

export interface ErasingOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly key: Uint8Array;
  readonly ledger: Ledger;
}

export interface Erased {
  readonly messages: number;
  readonly others: number;
  readonly captured: number;
  readonly consents: number;
  readonly suppressions: number;
  readonly elsewhere: number;
  readonly waiting: string[];
  readonly isLogEmpty: boolean;
}

interface Bare {
  readonly id: string;
  readonly raw: string | null;
}
const bare = ({ id, more }: MessageRow): Bare => ({ id, raw: more.raw ?? null });

/** Removes everything that is known of an address in a space. It can be repeated. @throws Refusal while an email to it is under way */
export async function erase({ store, clock, key, ledger }: ErasingOptions, subject: Subject): Promise<Erased> {
  const { space } = subject;
  const waiting = new Set<string>();
  const counts = { messages: 0, others: 0 };
  /** Removes the address and the data from of a message that stays; one that others are still being sent is only noted. */
  function eraseNamed(tx: Tx, row: MessageRow): void {
    if (store.addresses.waits(row.id, tx)) {
      waiting.add(row.id);
      return;
    }
    store.messages.dropData(tx, [bare(row)]);
    store.addresses.forgetKeys(tx, [row.id]);
    store.addresses.eraseIn(tx, row, subject);
    counts.others += 1;
  }
  await store.write((tx) => {
    const own = store.addresses.deliveriesTo(subject, tx);
    if (own.some(({ owner }) => owner !== null))
      throw new Refusal(409, 'under-way', 'An email to this address is being sent', {
        hint: 'Repeat the request in a moment.',
        retryAfterSeconds: 5,
      });
    // What must be forgotten again after a restore is written down before it is forgotten here.
    ledger.begun(space, subject.key);
    for (const { id } of own) store.deliveries.cancel(tx, id, clock.now());
    for (const messageId of new Set(own.map((row) => row.messageId))) {
      const row = store.messages.findAny(messageId, tx);
      if (row === undefined) continue;
      const all = store.messages.deliveriesOf([messageId], tx);
      const ids = own.filter((delivery) => delivery.messageId === messageId).map(({ id }) => id);
      if (ids.length === all.length) {
        store.messages.remove(tx, [bare(row)]);
        counts.messages += 1;
      } else {
        store.messages.removeDeliveries(tx, ids);
        eraseNamed(tx, row);
      }
    }
  });
  // Messages to others that name it, a page at a time, so that others write in between.
  for (let after: string | undefined = ''; after !== undefined;) {
    const from: string = after;
    after = await store.write((tx) => {
      const { rows, next } = store.addresses.messagesNaming(subject, from, tx);
      for (const row of rows) eraseNamed(tx, row);
      return next;
    });
  }
  const rest = await store.write((tx) => {
    const captured = store.addresses.capturedOf(subject, tx);
    store.captured.removeRows(tx, captured);
    const suppressions = store.addresses.hideSuppressions(tx, subject, hiddenKey(key, subject.key));
    const consents = store.consents.forget(tx, subject.space, subject.key);
    // What still waits of a signal would be sent to nobody, or say what was erased.
    for (const { id, data } of store.signals.holding(subject.space, subject.mention.needle, tx)) {
      if (!subject.mention.isIn(data ?? '')) continue;
      store.signalMatches.cancelSignal(tx, id, 'An address in its data was erased.', clock.now());
      store.signals.dropData(tx, id);
    }
    return { captured: captured.length, consents, suppressions, elsewhere: store.addresses.eraseElsewhere(tx, subject) };
  });
  await store.captured.settleWords(store.write);
  if (waiting.size === 0) ledger.done(space, subject.key);
  return { ...counts, ...rest, waiting: [...waiting], isLogEmpty: await store.emptyLog() };
}

/** Erases again what a copy still has. @returns how many addresses it had */
export async function eraseAgain(
  options: Omit<ErasingOptions, 'ledger'>,
  erasures: Erasures,
  keyOf: (address: string) => string,
): Promise<number> {
  let found = 0;
  // The ledger has these lines already.
  const ledger: Ledger = { begun: () => undefined, done: () => undefined };
  for (const [space, hidden] of erasures) {
    const known = options.store.addresses.namedIn(space).filter((address) => hidden.has(hiddenKey(options.key, keyOf(address))));
    for (const address of known) {
      await erase({ ...options, ledger }, { space, address, key: keyOf(address), mention: mentionOf(address), withUnowned: true });
      found += 1;
    }
  }
  return found;
}
