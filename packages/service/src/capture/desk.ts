import { addressKey } from '@verbalis/core/delivery';
import { inspectMail } from '@verbalis/core/inspect';
import type { Logger } from 'pino';
import type { Clock } from '../clock.js';
import { newId, type CapturedFilter, type CapturedRow, type Store } from '../store/index.js';

export interface CaptureOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  /** How many mails of a space are kept, and for how long in milliseconds. */
  readonly most: number;
  readonly ageMs: number;
  /** How often to look for what other processes have captured, in milliseconds; 0 where there are none. */
  readonly lookMs: number;
}

/** A mail that is to be kept. */
export interface CaptureWish {
  readonly space: string;
  /** The envelope's recipient. */
  readonly address: string;
  readonly deliveryId?: string;
  readonly messageId?: string;
  readonly bytes: Uint8Array;
  /** Where the very bytes are that an app handed in. */
  readonly contentId?: string | undefined;
}

export type CaptureDesk = ReturnType<typeof captureDesk>;

/** Characters of a mail that a search looks through. */
const SEARCHED = 4000;
/** After so many new ones the bounds are looked at. */
const BOUND_EVERY = 50;

/** Keeps mails to be looked at, and tells those who wait for them. */
export function captureDesk({ store, clock, log, most, ageMs, lookMs }: CaptureOptions) {
  const listeners = new Set<() => void>();
  let sinceBound = 0;
  let seen = store.captured.last();
  const tell = (): void => {
    for (const listener of [...listeners]) listener();
  };
  // Another process writes to the same file and cannot call us.
  const timer =
    lookMs === 0
      ? undefined
      : setInterval(() => {
          if (listeners.size === 0) return;
          const last = store.captured.last();
          if (last === seen) return;
          seen = last;
          tell();
        }, lookMs).unref();

  /** Keeps a mail; resolves when it is on the disk. */
  async function keep(wish: CaptureWish): Promise<string> {
    const now = clock.now();
    const shown = inspectMail(wish.bytes);
    const id = newId('l', now);
    const address = addressKey(wish.address, true);
    await store.group.write(() => {
      store.captured.keep({
        id,
        space: wish.space,
        deliveryId: wish.deliveryId ?? null,
        messageId: wish.messageId ?? null,
        address,
        sender: shown.from.slice(0, 500),
        subject: shown.subject.slice(0, 1000),
        receivedAt: now,
        size: wish.bytes.length,
        attachments: shown.attachments.filter((one) => !one.inline).length,
        code: shown.codes[0]?.slice(0, 40) ?? null,
        words: [shown.subject, shown.from, address, shown.text === '' ? shown.html : shown.text].join('\n').slice(0, SEARCHED),
        contentId: wish.contentId ?? null,
        bytes: wish.contentId === undefined ? Buffer.from(wish.bytes.buffer, wish.bytes.byteOffset, wish.bytes.byteLength) : null,
      });
      sinceBound += 1;
      if (sinceBound >= BOUND_EVERY || wish.bytes.length > 1024 * 1024) {
        sinceBound = 0;
        store.captured.bound(wish.space, most, now - ageMs);
      }
    });
    tell();
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
    /** Takes away what is too old, in all spaces. */
    forget(spaces: Iterable<string>): void {
      for (const space of spaces) {
        const gone = store.captured.bound(space, most, clock.now() - ageMs);
        if (gone > 0) log.info({ space, mails: gone }, 'old captured mails were taken away');
      }
    },
    stop(): void {
      clearInterval(timer);
    },
  };
}
