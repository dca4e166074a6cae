import type { Logger } from 'pino';
import type { Clock } from '../clock.js';
import type { Store } from '../store/index.js';

export interface RetentionOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  readonly mailDays: number;
  readonly messageDays: number;
  /** Takes away captured mail that is too old. */
  readonly forgetCaptured: () => void;
}

const DAY = 24 * 3_600_000;
/** Figures by the hour are kept for so many days; those by the day for ever. */
const HOURS_DAYS = 100;
const EVENTS_STEP = 5000;
const EVERY = 15 * 60_000;
/** Between steps others write. */
const PAUSE = 50;

/** Forgets what is old: bytes of mails after days, messages with their facts after months. @returns a function that ends it */
export function retention({ store, clock, log, mailDays, messageDays, forgetCaptured }: RetentionOptions): () => void {
  let cancel: () => void = () => undefined;
  const look = (): void => {
    const now = clock.now();
    let more = false;
    try {
      const mails = store.housekeeping.forgetMails(now - mailDays * DAY);
      const messages = store.housekeeping.forgetMessages(now - messageDays * DAY);
      store.housekeeping.forgetReturns(now - mailDays * DAY, now - messageDays * DAY);
      forgetCaptured();
      store.events.forget(now - messageDays * DAY, EVENTS_STEP);
      store.subscriptions.forget(store.events.before(now - mailDays * DAY), EVENTS_STEP);
      store.figures.forget(now - HOURS_DAYS * DAY);
      for (const id of store.contents.forgotten(now - DAY)) store.contents.drop(id);
      more = mails > 0 || messages > 0;
      if (more) log.info({ mails, messages }, 'old records were taken away');
    } catch (error) {
      log.error({ err: error }, 'old records could not be taken away');
    }
    cancel = clock.at(now + (more ? PAUSE : EVERY), look);
  };
  cancel = clock.at(clock.now() + EVERY / 15, look);
  return () => {
    cancel();
  };
}
