import { and, eq, gt, lte, sql } from 'drizzle-orm';
import { Refusal, type CallerKey, type Tx } from '../../kernel/index.js';
import { keySpending } from './tables.js';

const HOUR_MS = 3_600_000;
/** What a key sends is counted in spans of so long. A bound holds for any hour; what was sent counts for up to one span longer. */
const SPAN_MS = HOUR_MS / 12;
/** A span counts for so long after it began. */
const COUNTED_MS = HOUR_MS + SPAN_MS;

/** Counts emails that a key is to send, within the transaction that accepts them. @throws Refusal 429 when there would be too many */
export function spend(tx: Tx, { id, bounds: { perHour } }: CallerKey, emails: number, now: number): void {
  if (perHour === undefined || emails === 0) return;
  // Spans that lie ahead are of before the clock was set back.
  const lately = and(eq(keySpending.key, id), gt(keySpending.spanAt, now - COUNTED_MS), lte(keySpending.spanAt, now));
  const spans = tx.db.select().from(keySpending).where(lately).orderBy(keySpending.spanAt).all();
  const spent = spans.reduce((sum, span) => sum + span.emails, 0);
  if (spent + emails > perHour) throw tooMany(perHour, emails, spans, now);
  tx.db
    .insert(keySpending)
    .values({ key: id, spanAt: now - (now % SPAN_MS), emails })
    .onConflictDoUpdate({ target: [keySpending.key, keySpending.spanAt], set: { emails: sql`${keySpending.emails} + ${emails}` } })
    .run();
}

/** Removes spans that no longer count. */
export function forgetSpending(tx: Tx, now: number): number {
  return tx.db
    .delete(keySpending)
    .where(lte(keySpending.spanAt, now - COUNTED_MS))
    .run().changes;
}

function tooMany(perHour: number, emails: number, spans: readonly { spanAt: number; emails: number }[], now: number): Refusal {
  const title = 'This key may not send so many emails in an hour';
  if (emails > perHour)
    return new Refusal(422, 'key-rate', title, {
      detail: `This key may send ${perHour} emails within an hour, and this request alone asks for ${emails}.`,
      hint: 'Send fewer in one request, or use a key with a higher bound.',
    });
  // Spans stop counting one after the other, the oldest first: as soon as there is room, the request may come again.
  let counted = spans.reduce((sum, span) => sum + span.emails, 0);
  const spent = counted;
  const leaves = spans.find((span) => (counted -= span.emails) + emails <= perHour)?.spanAt ?? now;
  return new Refusal(429, 'key-rate', title, {
    detail: `This key may send ${perHour} emails within an hour and has sent ${spent}; this request asks for ${emails} more.`,
    hint: 'Repeat the request later, or use a key with a higher bound.',
    retryAfterSeconds: Math.ceil((leaves + COUNTED_MS - now) / 1000),
  });
}
