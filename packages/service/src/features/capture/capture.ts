import { addressKey } from '@verbalis/core/delivery';
import { inspectMail, type ShownMail } from '@verbalis/core/inspect';
import { type Clock, type Tx, newId } from '../../kernel/index.js';
import type { CapturedFilter, CapturedRow } from './queries.js';
import type { Store } from './store.js';

export interface CaptureOptions {
  readonly store: Store;
  readonly clock: Clock;
  /** How many emails of a space are kept, and for how long in milliseconds. */
  readonly most: number;
  readonly ageMs: number;
}

/** An email that is to be kept. */
export interface CaptureRequest {
  readonly space: string;
  /** The envelope's recipient. */
  readonly address: string;
  readonly deliveryId?: string;
  readonly messageId?: string;
  readonly bytes: Uint8Array;
  /** Where the very bytes are that an app handed in. */
  readonly contentId?: string | undefined;
}

export type CaptureStore = ReturnType<typeof captureStore>;

/** Characters of an email that a search looks through. */
const SEARCHED = 4000;
/** After so many new ones the bounds are looked at. */
const BOUND_EVERY = 50;

/** What an email is found by. */
function wordsOf({ subject, from, text, html }: ShownMail, address: string): string {
  return [subject, from, address, text === '' ? html : text].join('\n').slice(0, SEARCHED);
}

/** Indexes captured emails again after a restore wrote their rows. */
export function reindexCaptured(store: Store, tx: Tx, seqs: readonly number[]): void {
  store.captured.reindex(tx, seqs, (row) => {
    const bytes =
      row.contentId === null
        ? (store.captured.bytes(row.id, tx) ?? Buffer.alloc(0))
        : Buffer.concat([...store.contents.bytes(row.contentId, tx).chunks()]);
    return wordsOf(inspectMail(bytes), row.address);
  });
}

/** Keeps emails to be looked at, and tells those who wait for them. */
export function captureStore({ store, clock, most, ageMs }: CaptureOptions) {
  const listeners = new Set<() => void>();
  let sinceBound = 0;
  const notify = (): void => {
    for (const listener of [...listeners]) listener();
  };

  /** Keeps an email; resolves when it is on the disk. */
  async function keep(wish: CaptureRequest): Promise<string> {
    const now = clock.now();
    const shown = inspectMail(wish.bytes);
    const id = newId('l', now);
    const address = addressKey(wish.address, { anyCase: true });
    await store.write((tx) => {
      store.captured.keep(tx, {
        id,
        space: wish.space,
        deliveryId: wish.deliveryId ?? null,
        messageId: wish.messageId ?? null,
        address,
        sender: shown.from.slice(0, 500),
        subject: shown.subject.slice(0, 1000),
        receivedAt: now,
        size: wish.bytes.length,
        attachments: shown.attachments.filter((attachment) => !attachment.inline).length,
        code: shown.codes[0]?.slice(0, 40) ?? null,
        words: wordsOf(shown, address),
        contentId: wish.contentId ?? null,
        bytes: wish.contentId === undefined ? Buffer.from(wish.bytes.buffer, wish.bytes.byteOffset, wish.bytes.byteLength) : null,
      });
      const isBounded = sinceBound + 1 >= BOUND_EVERY || wish.bytes.length > 1024 * 1024;
      if (isBounded) store.captured.bound(tx, wish.space, most, now - ageMs);
      tx.afterCommit(() => {
        sinceBound = isBounded ? 0 : sinceBound + 1;
        notify();
      });
    });
    return id;
  }

  return {
    keep,
    /** The bytes of a captured mail, as they came. */
    bytesOf(row: CapturedRow): Buffer {
      if (row.contentId !== null) return Buffer.concat([...store.contents.bytes(row.contentId).chunks()]);
      return store.captured.bytes(row.id) ?? Buffer.alloc(0);
    },
    /** Is called after something was captured. @returns a function that ends it */
    onKept(listener: () => void): () => void {
      listeners.add(listener);
      return () => {
        listeners.delete(listener);
      };
    },
    /** The newest mail that fits, as soon as there is one; undefined when none came in time. Nothing is asked again and again. */
    waitFor(filter: CapturedFilter, waitMs: number, gone: AbortSignal): Promise<CapturedRow | undefined> {
      return new Promise((resolve) => {
        const end = (row: CapturedRow | undefined): void => {
          listeners.delete(look);
          clearTimeout(patience);
          gone.removeEventListener('abort', leave);
          resolve(row);
        };
        const leave = (): void => {
          end(undefined);
        };
        const patience = setTimeout(leave, waitMs);
        const look = (): void => {
          const [row] = store.captured.list(filter, 1);
          if (row !== undefined) end(row);
        };
        gone.addEventListener('abort', leave);
        listeners.add(look);
        look();
      });
    },
    /** Removes captured mail of a space that is too old or too much. @returns how many */
    forget: (tx: Tx, space: string): number => store.captured.bound(tx, space, most, clock.now() - ageMs),
  };
}
