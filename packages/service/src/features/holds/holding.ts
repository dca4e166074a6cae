import { filterText, isMeant, isWithin, type EmailFilter } from '@verbalis/core/delivery';
import { newId, type Clock, type Reader, type Tx } from '../../kernel/index.js';
import type { DeliveryRow, PassPosition } from '../messages/index.js';
import type { HoldRow } from './queries.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly clock: Clock;
  /** Is called when something may be due. */
  readonly wake: () => void;
}

/** What is released: one hold, or all whose filter names what this one does. */
export type Released = { readonly id: string } | { readonly filter: EmailFilter };

/** Deliveries that are written in one transaction. */
const AT_ONCE = 500;

export type Holding = ReturnType<typeof holding>;

/** Holds in force. They are known in memory, so that a delivery is not asked about on the disk. */
export function holding({ store, clock, wake }: Options) {
  const inForce = new Map<string, HoldRow>(store.holds.all().flatMap((row) => (row.isReleased ? [] : [[row.id, row]])));

  /** Lets the deliveries of a hold go that is no longer in force. @returns how many */
  async function letGo(id: string): Promise<number> {
    let all = 0;
    for (let part = AT_ONCE; part > 0; all += part) {
      part = await store.write((tx) => {
        const n = store.deliveries.letGo(tx, id, { most: AT_ONCE, now: clock.now() });
        if (n === 0) store.holds.remove(tx, id);
        return n;
      });
      wake();
    }
    return all;
  }

  return {
    inForce: (space: string): HoldRow[] => [...inForce.values()].filter((row) => row.space === space),

    all: (space: string): HoldRow[] => store.holds.all().filter((row) => row.space === space),

    /** The hold that keeps a delivery from being sent; undefined where there is none. */
    heldBy(delivery: Pick<DeliveryRow, 'space' | 'messageId' | 'domain'>, from: Reader = store.reads): string | undefined {
      if (inForce.size === 0) return undefined;
      const own = this.inForce(delivery.space);
      const message = own.length === 0 ? undefined : store.messages.findAny(delivery.messageId, from);
      return message === undefined
        ? undefined
        : own.find(({ filter, restoredAsOf }) => restoredAsOf === null && isMeant(filter, { ...message, domain: delivery.domain }))?.id;
    },

    /** Writes that a delivery is held, if it still is to be. */
    keep(tx: Tx, delivery: DeliveryRow): void {
      const id = this.heldBy(delivery, tx);
      if (id === undefined) store.deliveries.defer(tx, delivery, clock.now());
      else store.deliveries.hold(tx, [delivery.id], id);
    },

    /** Why a delivery is held, in a sentence without a full stop; undefined where it is not. */
    reasonOf({ heldBy }: Pick<DeliveryRow, 'heldBy'>): string | undefined {
      if (heldBy === null) return undefined;
      const row = inForce.get(heldBy);
      const why = row?.reason ?? (row === undefined ? undefined : filterText(row.filter));
      return `it is held (${heldBy}${why === undefined ? '' : `: ${why}`})`;
    },

    /** Holds what waits and what comes. It is in force before the first delivery is selected, so that no delivery slips through. */
    async hold(space: string, filter: EmailFilter, reason: string | undefined): Promise<{ readonly row: HoldRow; readonly held: number }> {
      const now = clock.now();
      const row: HoldRow = {
        id: newId('h', now),
        space,
        filter,
        reason: reason ?? null,
        createdAt: now,
        restoredAsOf: null,
        isReleased: false,
      };
      inForce.set(row.id, row);
      try {
        await store.write((tx) => {
          store.holds.add(tx, row);
        });
      } catch (error) {
        inForce.delete(row.id);
        throw error;
      }
      let held = 0;
      for (let at: PassPosition | undefined, more = true; more; more = at !== undefined) {
        const part = await store.deliveries.waitingPart(space, filter, { at, most: AT_ONCE });
        if (part.ids.length > 0) held += await store.write((tx) => (inForce.has(row.id) ? store.deliveries.hold(tx, part.ids, row.id) : 0));
        at = inForce.has(row.id) ? part.next : undefined;
      }
      return { row, held };
    },

    /** The holds of a space that match; also those that are over while their deliveries are still being released. */
    meant(space: string, released: Released): HoldRow[] {
      return this.all(space).filter((row) => ('id' in released ? row.id === released.id : isWithin(row.filter, released.filter)));
    },

    /** Holds of what waited in a copy that was restored. */
    restored(space: string): HoldRow[] {
      return this.all(space).filter(({ restoredAsOf, isReleased }) => restoredAsOf !== null && !isReleased);
    },

    /** Lets some of what such a hold keeps go. @returns how many deliveries */
    async releasePart({ id, space }: HoldRow, filter: EmailFilter): Promise<number> {
      let all = 0;
      for (let at: PassPosition | undefined, more = true; more; more = at !== undefined) {
        const part = await store.deliveries.waitingPart(space, filter, { at, most: AT_ONCE, heldBy: id });
        if (part.ids.length > 0) all += await store.write((tx) => store.deliveries.letGo(tx, id, { ids: part.ids, now: clock.now() }));
        at = part.next;
        wake();
      }
      await this.endEmpty(space);
      return all;
    },

    /** Ends holds of a restored copy that keep nothing any more. */
    async endEmpty(space: string): Promise<void> {
      const rows = this.restored(space);
      if (rows.length === 0) return;
      const held = await store.deliveries.heldCounts();
      const empty = rows.filter(({ id }) => (held.get(id) ?? 0) === 0);
      if (empty.length > 0) await this.release(empty);
    },

    /** Ends holds and lets their deliveries go. @returns how many deliveries */
    async release(rows: readonly HoldRow[]): Promise<number> {
      await store.write((tx) => {
        for (const { id } of rows) store.holds.release(tx, id);
        tx.afterCommit(() => {
          for (const { id } of rows) inForce.delete(id);
        });
      });
      let all = 0;
      for (const { id } of rows) all += await letGo(id);
      return all;
    },

    /** What is known in memory. */
    memory: () => ({ holds: [...inForce.keys()].sort() }),

    /** Goes on with what an earlier run of the service was letting go. */
    async resume(): Promise<void> {
      for (const { id, isReleased } of store.holds.all()) if (isReleased) await letGo(id);
    },
  };
}
