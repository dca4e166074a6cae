import { appendFileSync } from 'node:fs';
import { Refusal, type Clock, type Tx } from '../../kernel/index.js';
import type { MessageRow } from '../messages/index.js';
import { hiddenKey } from '../suppressions/index.js';
import type { Subject } from './queries.js';
import type { Store } from './store.js';

export interface ErasingOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly key: Uint8Array;
  /** Beside the database: what was erased, so that a backup that is restored can be made to forget it, too. */
  readonly ledgerFile: string;
}

export interface Erased {
  readonly messages: number;
  readonly others: number;
  readonly captured: number;
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
export async function erase({ store, clock, key, ledgerFile }: ErasingOptions, subject: Subject): Promise<Erased> {
  const { space } = subject;
  // What must be forgotten again after a restore is written down before it is forgotten here.
  const line = { at: new Date(clock.now()).toISOString(), space, address: hiddenKey(key, subject.key) };
  appendFileSync(ledgerFile, `${JSON.stringify(line)}\n`, { mode: 0o600, flush: true });
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
    return { captured: captured.length, suppressions, elsewhere: store.addresses.eraseElsewhere(tx, subject) };
  });
  return { ...counts, ...rest, waiting: [...waiting], isLogEmpty: store.emptyLog() };
}
