import { instant } from '../../kernel/index.js';
import type { InboundRow } from './queries.js';
import type { Store } from './store.js';

/** One email of a thread, of ours or of theirs. */
export interface ThreadEntry {
  readonly kind: 'message' | 'inbound';
  readonly id: string;
  readonly at: string;
  readonly from: string;
  readonly subject: string;
}

/** Emails of a thread that are shown on each side of one. */
const MOST = 30;

type Bare = Pick<InboundRow, 'id' | 'space' | 'receivedAt' | 'from' | 'subject' | 'messageId'>;

/** What was written before and after an email, as far as it is known here; with itself, the oldest first. */
export function threadAround({ inbound, messages }: Store, row: InboundRow): ThreadEntry[] {
  const { space } = row;
  const ofInbound = ({ id, receivedAt, from, subject }: Bare): ThreadEntry => ({
    kind: 'inbound',
    id,
    at: instant(receivedAt),
    from,
    subject,
  });
  const seen = new Set([row.id]);
  const messageOf = (id: string): ThreadEntry | undefined => {
    const message = space === null || seen.has(id) ? undefined : messages.find(space, id);
    if (message === undefined) return undefined;
    seen.add(id);
    return { kind: 'message', id, at: instant(message.createdAt), from: message.sender.address, subject: message.subject };
  };
  const before: ThreadEntry[] = [];
  for (let at: Bare | undefined = row; at !== undefined && at.messageId !== null && before.length < MOST;) {
    const message = messageOf(at.messageId);
    if (message === undefined) break;
    before.unshift(message);
    // Our message may have been an answer itself.
    const answered = inbound.answeredBy(message.id);
    at = answered === undefined || answered.space !== space || seen.has(answered.id) ? undefined : answered;
    if (at !== undefined) {
      seen.add(at.id);
      before.unshift(ofInbound(at));
    }
  }
  const after: ThreadEntry[] = [];
  const waiting = [row.id];
  for (let next = waiting.shift(); next !== undefined && after.length < MOST; next = waiting.shift())
    for (const { messageId } of inbound.answersTo([next])) {
      const message = messageOf(messageId);
      if (message === undefined || space === null) continue;
      after.push(message);
      for (const answer of inbound.list({ space, unowned: false, limit: MOST, messageId })) {
        if (seen.has(answer.id)) continue;
        seen.add(answer.id);
        after.push(ofInbound(answer));
        waiting.push(answer.id);
      }
    }
  return [...before, ofInbound(row), ...after.sort((a, b) => (a.at < b.at ? -1 : 1))];
}
