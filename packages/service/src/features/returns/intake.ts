import type { Cause } from '@verbalis/core/delivery';
import type { PhraseBook } from '@verbalis/core/phrases';
import { deliveryOfReplyLocal, deliveryOfToken, tokenOf, type RecipientReport, type ReturnReading } from '@verbalis/core/returns';
import type { Logger } from 'pino';
import { StoreUnavailable, type Clock, type Tx, newId } from '../../kernel/index.js';
import { UNSUBSCRIBE_ADDRESS, type Consent, type Subscription } from '../consent/index.js';
import type { DeliveryRow } from '../messages/index.js';
import type { ReturnRow } from './queries.js';
import { hashOf, readIncoming, type ReadReturn } from './reading.js';
import type { Store } from './store.js';
import type { Suppressing } from '../suppressions/index.js';

export interface IntakeOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  readonly suppressing: Suppressing;
  readonly consent: Pick<Consent, 'consenting' | 'tokens'>;
  /** Whether return paths of ours are, or recently were, at a host. */
  readonly isReturnHost: (host: string) => boolean;
  readonly secret: Uint8Array;
  /** What words of reports mean. */
  readonly book: PhraseBook;
}

/** The result of a return that was handed in. */
export interface StoredReturn {
  readonly id: string;
  readonly kind: ReturnReading['kind'];
  readonly deliveryId: string | undefined;
  /** The same return had come before. */
  readonly repeated: boolean;
}

export interface IncomingReturn {
  readonly bytes: Uint8Array;
  readonly source: 'mail' | 'upload';
  readonly envelopeFrom: string;
  /** The server that brought it: its IP address, and how it called itself. */
  readonly broughtBy?: { readonly address: string; readonly hello: string };
  /** Empty where nobody knows. */
  readonly envelopeTo: string;
  /** Whose it is, where the one who hands it in belongs to a space: it then cannot concern other spaces' email. */
  readonly space: string | undefined;
  /** What it says, or why it cannot be read, where it was read already. */
  readonly read?: ReadReturn | { readonly error: string };
  readonly hash?: string;
}

const NAME = 'returns';
/** Local parts at return hosts to which DMARC and TLS reports go. */
export const REPORT_ADDRESSES = { dmarc: 'dmarc-reports', tls: 'tls-reports' } as const;
const ROLES: ReadonlySet<string> = new Set(['postmaster', 'abuse', UNSUBSCRIBE_ADDRESS, ...Object.values(REPORT_ADDRESSES)]);

/** What is needed to read a quarantined return again. */
interface HeldReturn {
  readonly returnId: string;
  /** Whose key brought it. */
  readonly space: string | undefined;
}

/** A return that was read. */
interface ToWrite extends ReadReturn {
  readonly id: string;
  readonly hash: string;
}

export type ReturnIntake = ReturnType<typeof returnIntake>;

/** What a report says as a kind of fact; an expansion (RFC 3464 2.3.3) is not about a single mailbox. */
const FACT_OF = { failed: 'failed', delayed: 'delayed', delivered: 'delivered', relayed: 'relayed', expanded: 'relayed' } as const;

/** Keeps what comes back and turns what it says into facts about deliveries. */
export function returnIntake(options: IntakeOptions) {
  const { store, clock, log, isReturnHost, secret, suppressing } = options;
  const { consenting, tokens } = options.consent;

  /** The delivery whose return path this is; undefined for an address that is not ours. */
  function deliveryAt(address: string, from?: Tx): string | undefined {
    const at = address.lastIndexOf('@');
    if (!isReturnHost(address.slice(at + 1))) return undefined;
    if (!address.toLowerCase().startsWith('returns+')) return undefined;
    return deliveryOf(tokenOf(address), from);
  }

  function deliveryOf(token: string | undefined, from?: Tx): string | undefined {
    if (token === undefined) return undefined;
    // What a program answers comes where people would.
    const id = deliveryOfToken(secret, token) ?? deliveryOfReplyLocal(secret, `reply+${token}`);
    return id !== undefined && store.deliveries.find(id, from) !== undefined ? id : undefined;
  }

  /** Which deliveries a return is about, with what it says of each. The token first, since nobody can forge it. */
  function matched(tx: Tx, reading: ReturnReading, space: string | undefined): { row: DeliveryRow; report: RecipientReport | undefined }[] {
    const mine = (row: DeliveryRow | undefined): row is DeliveryRow => row !== undefined && (space === undefined || row.space === space);
    const sure =
      deliveryOf(reading.token, tx) ?? deliveryOf(reading.originalFrom === undefined ? undefined : tokenOf(reading.originalFrom), tx);
    // Without a token only those are believed who have shown a key.
    const ofEnvelope = sure ?? (space === undefined ? undefined : reading.envelopeId);
    const row = ofEnvelope === undefined ? undefined : store.deliveries.find(ofEnvelope, tx);
    if (mine(row)) return [{ row, report: aboutUs(reading.recipients, row.address) }];
    // Only who had the mail knows its Message-ID. For a complaint about a message with one delivery that is enough, since those who pass complaints
    // on often remove everything else; any other return needs a token or a key.
    const isFeedback = reading.kind === 'complaint' || reading.kind === 'feedback';
    if ((space === undefined && !isFeedback) || reading.originalMessageId === undefined) return [];
    const candidates = store.returns.deliveriesOfHeaderId(reading.originalMessageId, tx);
    const rows = candidates.map((candidate) => store.deliveries.find(candidate.id, tx)).filter(mine);
    const isNamed = (address: string, delivery: DeliveryRow): boolean => suppressing.keyOf(address) === suppressing.keyOf(delivery.address);
    const named = rows.flatMap((delivery) => {
      const report = reading.recipients.find(({ address }) => isNamed(address, delivery));
      const isAbout = report !== undefined || reading.about.some((address) => isNamed(address, delivery));
      return isAbout && space !== undefined ? [{ row: delivery, report }] : [];
    });
    if (named.length > 0) return named;
    const [only] = rows;
    return rows.length === 1 && only !== undefined ? [{ row: only, report: reading.recipients[0] }] : [];
  }

  /** Facts that follow from a report; within a transaction. */
  function conclude(
    tx: Tx,
    {
      reading,
      row,
      report,
      from,
      at,
      now,
    }: {
      readonly reading: ReturnReading;
      readonly row: DeliveryRow;
      readonly report: RecipientReport | undefined;
      readonly from: Pick<ReturnRow, 'id' | 'hash' | 'fingerprint'>;
      readonly at: number;
      readonly now: number;
    },
  ): void {
    const id = `return:${(from.fingerprint ?? from.hash).slice(0, 40)}:${row.id}`;
    const none = { cause: undefined, status: undefined, replyCode: undefined, diagnostic: undefined };
    const base = { id, deliveryId: row.id, source: 'return' as const, at, returnId: from.id };
    if (reading.kind === 'complaint') {
      store.deliveries.record(tx, { ...base, ...none, kind: 'complained', diagnostic: reading.feedbackType }, now);
    } else if (reading.feedbackType?.startsWith('opt-out') === true) {
      const topic = store.messages.findAny(row.messageId, tx)?.topic ?? '';
      const { space, address } = row;
      consenting.change(tx, { id, space, address, topic, kind: 'left', how: 'report', at, deliveryId: row.id });
    } else if (reading.kind === 'delivery-status' && report !== undefined) {
      const kind = FACT_OF[report.action];
      const cause: Cause | undefined = kind === 'failed' || kind === 'delayed' ? report.cause : undefined;
      const { status, replyCode, diagnostic } = report;
      store.deliveries.record(tx, { ...base, kind, cause, status, replyCode, diagnostic }, now);
      tx.afterCommit(() => {
        log.info({ delivery: row.id, action: report.action, cause }, 'return read');
      });
    }
  }

  /** Stores a return, and concludes what it says. When it resolves, it is on the disk. */
  async function receive(given: IncomingReturn): Promise<StoredReturn> {
    const { bytes, envelopeTo, hash = hashOf(bytes, envelopeTo) } = given;
    const id = newId('r', clock.now());
    try {
      const found = read(given);
      return await store.write((tx) => write(tx, given, { id, hash, ...found }));
    } catch (error) {
      if (error instanceof StoreUnavailable) throw error;
      // Its sender has handed it over: it is stored as it came, and waits until it can be read.
      return store.write((tx) => writeUnread(tx, given, { id, hash }, error));
    }
  }

  /** What a return says. @throws when it cannot be read */
  function read({ bytes, envelopeTo, read: known }: IncomingReturn, tx?: Tx): ReadReturn {
    if (known !== undefined && 'error' in known) throw new Error(known.error);
    return known ?? readIncoming(bytes, { envelopeTo, recipient: recipientAt(envelopeTo, tx), book: options.book });
  }

  /** The address of the delivery whose return path this is. */
  function recipientAt(envelopeTo: string, tx?: Tx): string | undefined {
    const id = deliveryAt(envelopeTo, tx);
    return id === undefined ? undefined : store.deliveries.find(id, tx)?.address;
  }

  function write(tx: Tx, given: IncomingReturn, { id, hash, fingerprint, reading, sentAt, subject, from }: ToWrite): StoredReturn {
    const now = clock.now();
    // A clock that goes wrong elsewhere must not put a fact into the future.
    const at = sentAt === undefined || given.source === 'mail' ? now : Math.min(sentAt, now);
    const { bytes, source, envelopeFrom, envelopeTo, space } = given;
    const leaving = local(envelopeTo) === UNSUBSCRIBE_ADDRESS ? subscriptionIn(subject) : undefined;
    const about = leaving === undefined ? undefined : store.deliveries.find(leaving.deliveryId, tx);
    const found = about === undefined ? matched(tx, reading, space) : [{ row: about, report: undefined }];
    const [first] = found;
    const read: ReturnRow = {
      id,
      hash,
      fingerprint,
      space: first?.row.space ?? leaving?.space ?? space ?? null,
      source,
      provider: null,
      broughtBy: given.broughtBy ?? null,
      receivedAt: now,
      envelopeFrom,
      envelopeTo,
      kind: reading.kind,
      deliveryId: first?.row.id ?? null,
      readout: {
        recipients: reading.recipients,
        subject,
        from,
        originalMessageId: reading.originalMessageId,
        feedbackType: reading.feedbackType,
        ...(reading.about.length === 0 ? {} : { about: reading.about }),
      },
      bytes: Buffer.from(bytes),
    };
    const row = first?.row.sensitive === true ? withoutContent(read) : read;
    // The same report may come by several ways: to the return path, from a file, through another server.
    const same = store.returns.sameReport(row, tx);
    if (same !== undefined || !store.returns.insert(tx, row)) {
      const before = same ?? store.returns.findByHash(hash, tx);
      return { id: before?.id ?? id, kind: reading.kind, deliveryId: before?.deliveryId ?? undefined, repeated: true };
    }
    if (leaving !== undefined)
      consenting.change(tx, { id: `return:${fingerprint.slice(0, 40)}`, ...leaving, kind: 'left', how: 'email', at: now });
    for (const one of found) conclude(tx, { reading, row: one.row, report: one.report, from: row, at, now });
    return { id, kind: reading.kind, deliveryId: first?.row.id, repeated: false };
  }

  /** What an email to the unsubscribe address asks for: its subject is the token that List-Unsubscribe names (RFC 2369 3.2). */
  function subscriptionIn(subject: string | undefined): Subscription | undefined {
    // What is folded may come with spaces in it.
    const token = /[\w-]{38,}/.exec((subject ?? '').replace(/\s+/g, ''))?.[0];
    return token === undefined ? undefined : tokens.read(token);
  }

  function writeUnread(tx: Tx, given: IncomingReturn, { id, hash }: Pick<ToWrite, 'id' | 'hash'>, error: unknown): StoredReturn {
    const { bytes, source, envelopeFrom, envelopeTo, space } = given;
    const known = deliveryAt(envelopeTo, tx);
    const delivery = known === undefined ? undefined : store.deliveries.find(known, tx);
    const problem = `It could not be read: ${error instanceof Error ? error.message : String(error)}`;
    const row: ReturnRow = {
      id,
      hash,
      fingerprint: null,
      space: delivery?.space ?? space ?? null,
      source,
      provider: null,
      broughtBy: given.broughtBy ?? null,
      receivedAt: clock.now(),
      envelopeFrom,
      envelopeTo,
      kind: 'other',
      deliveryId: delivery?.id ?? null,
      readout: { recipients: [], problem },
      bytes: Buffer.from(bytes),
    };
    const isNew = store.returns.insert(tx, row);
    const kept = isNew ? id : (store.returns.findByHash(hash, tx)?.id ?? id);
    const payload: HeldReturn = { returnId: kept, space };
    const item = { key: kept, space: row.space ?? undefined, title: `Return to ${envelopeTo === '' ? 'nobody' : envelopeTo}`, payload };
    if (isNew) store.quarantine.put(tx, { worker: NAME, item, error, id: newId('q', clock.now()) });
    return { id: kept, kind: 'other', deliveryId: delivery?.id, repeated: !isNew };
  }

  store.quarantine.register(NAME, {
    // Read again as if it came now, in the transaction that takes it out: what throws leaves it where it is, with the same error.
    retry: (tx, { payload }) => {
      const { returnId, space } = payload as HeldReturn;
      const row = store.returns.find(returnId, tx);
      if (row === undefined) return;
      const { bytes, envelopeFrom, envelopeTo, hash } = row;
      const given: IncomingReturn = { bytes, source: row.source === 'upload' ? 'upload' : 'mail', envelopeFrom, envelopeTo, space };
      store.returns.remove(tx, returnId);
      write(tx, given, { id: returnId, hash, ...read(given, tx) });
    },
  });

  /** A person says which delivery a return is about. */
  async function match(row: ReturnRow, delivery: DeliveryRow): Promise<void> {
    const now = clock.now();
    const { recipients, feedbackType } = row.readout;
    const reading: ReturnReading = {
      kind: row.kind,
      token: undefined,
      originalMessageId: row.readout.originalMessageId,
      originalFrom: undefined,
      envelopeId: undefined,
      feedbackType,
      recipients,
      about: row.readout.about ?? [],
    };
    await store.write((tx) => {
      store.returns.match(tx, row.id, delivery.id, delivery.space);
      if (delivery.sensitive) store.returns.removeContent(tx, withoutContent(row));
      conclude(tx, { reading, row: delivery, report: aboutUs(recipients, delivery.address), from: row, at: row.receivedAt, now });
    });
  }

  /** Whether a person must be reached there (RFC 5321 4.5.1, RFC 2142), or reports of receivers come in. */
  function isRole(address: string): boolean {
    return ROLES.has(local(address)) && isReturnHost(address.slice(address.lastIndexOf('@') + 1));
  }

  return { deliveryAt, recipientAt, isRole, receive, match };
}

/** What is kept of a return of an email with sensitive data: it may quote the email, and so may its subject. */
function withoutContent(row: ReturnRow): ReturnRow {
  return { ...row, bytes: Buffer.alloc(0), readout: { ...row.readout, subject: undefined } };
}

const local = (address: string): string => address.slice(0, Math.max(0, address.lastIndexOf('@'))).toLowerCase();

/** The return path names one delivery: of several recipients in a report, the one with its address; else the only one. */
function aboutUs(reports: readonly RecipientReport[], address: string): RecipientReport | undefined {
  return reports.find((report) => report.address.toLowerCase() === address.toLowerCase()) ?? reports[0];
}
