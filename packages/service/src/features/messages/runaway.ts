import type { Reader, Tx } from '../../kernel/index.js';
import { NO_RULES, type SpaceRules } from '../spaces/index.js';
import type { DeliveryRow, MessageRow } from './tables.js';
import { boundedCache } from '../../kernel/index.js';

/** What was sent lately, as the records have it. */
export interface SentLately {
  /**
   * When emails like this one were accepted for its recipient and not withheld, oldest first, at most so many; in milliseconds since the epoch.
   */
  readonly sentLike: (
    message: MessageRow,
    delivery: DeliveryRow,
    span: { readonly since: number; readonly most: number },
    from: Reader,
  ) => number[];
}

const HOUR = 3_600_000;
/** How many recipients and templates are known in memory; of others the records are asked. */
const MOST_KNOWN = 50_000;

/**
 * Stops an app that runs away: of one template only so many emails an hour go to one recipient. What an app writes itself counts by its subject.
 * What it counts is exact, also over a restart and within transactions that share a commit.
 */
export class RunawayGuard {
  readonly #sent = boundedCache<string, number[]>(MOST_KNOWN);

  constructor(
    private readonly records: SentLately,
    private readonly spaces: ReadonlyMap<string, SpaceRules>,
  ) {}

  /**
   * Counts the emails of a message, within the transaction that accepts it. Copies follow: they are refused where everybody that it is addressed
   * to is.
   * @returns why an email must not be sent, in a sentence; undefined where it may
   */
  refusals(tx: Tx, message: MessageRow, deliveries: readonly DeliveryRow[]): (delivery: DeliveryRow) => string | undefined {
    const { mode, runaway } = this.spaces.get(message.space) ?? NO_RULES;
    if (mode === 'capture' || runaway === false) return () => undefined;
    const most = runaway.templates[message.template] ?? runaway.perHour;
    const addressed = new Set(message.to.map(({ address }) => address));
    // What is kept here or sent to someone else is no burden of its recipient's.
    const own = deliveries.filter(({ address, kept, intended }) => addressed.has(address) && !kept && intended === null);
    const refused = new Set(own.filter((delivery) => !this.#count(tx, message, delivery, most)));
    const isWhole = own.length > 0 && refused.size === own.length;
    const what = message.template === '' ? message.subject : message.template;
    const reason = `More than ${most} emails of "${what}" to this recipient within an hour.`;
    return (delivery) => (isWhole || refused.has(delivery) ? reason : undefined);
  }

  /** @returns whether it may go */
  #count(tx: Tx, message: MessageRow, delivery: DeliveryRow, most: number): boolean {
    const key = JSON.stringify([message.space, message.template, message.template === '' ? message.subject : '', delivery.address]);
    const now = message.createdAt;
    const since = now - HOUR;
    const sent = this.#sent.get(key) ?? this.records.sentLike(message, delivery, { since, most }, tx);
    this.#sent.set(key, sent);
    while (sent[0] !== undefined && sent[0] <= since) sent.shift();
    // Dates that lie ahead are of before the clock was set back.
    while ((sent.at(-1) ?? 0) > now) sent.pop();
    if (sent.length >= most) return false;
    sent.push(now);
    tx.afterFailure(() => {
      this.#sent.delete(key);
    });
    return true;
  }
}
