import { and, desc, eq, gte, inArray, like, lt, or, sql, type SQL } from 'drizzle-orm';
import { CAUSES, type Cause, type State } from '@verbalis/core/delivery';
import { holdsWords, captured } from '../capture/index.js';
import type { Reader } from '../../kernel/index.js';
import { inbound } from '../inbound/index.js';
import { deliveries, facts, messages } from '../messages/index.js';
import { people } from '../people/index.js';
import { domains } from '../domains/index.js';
import { returns } from '../returns/index.js';
import { suppressions } from '../suppressions/index.js';

/** A hit of a search. */
export interface SearchHit {
  readonly kind: 'message' | 'captured' | 'return' | 'inbound' | 'suppression' | 'template' | 'domain' | 'person';
  readonly id: string;
  readonly address: string | undefined;
  readonly title: string;
  readonly state: State | undefined;
  /** Undefined for what has no date that matters. */
  readonly at: number | undefined;
}

/** Of so many of the newest messages subjects, domains and codes of errors are looked through; addresses, ids and references are found in all of them. */
export const SUBJECTS_SEARCHED = 10_000;
const MOST = 50;
const ID = /^([mdlrv])[0-9a-z]{26}$/;

/** One search over everything that a person may have in hand: an address, an id, a reference, words of a subject. */
export function searchStore(reads: Reader) {
  const ofDelivery = {
    id: deliveries.messageId,
    address: deliveries.address,
    title: messages.subject,
    state: deliveries.state,
    at: deliveries.createdAt,
  };
  const joined = () => reads.db.select(ofDelivery).from(deliveries).innerJoin(messages, eq(messages.id, deliveries.messageId));
  const asMessage = (row: { id: string; address: string; title: string; state: State; at: number }): SearchHit => ({
    kind: 'message',
    ...row,
  });

  function byId(space: string, id: string): SearchHit[] {
    const kind = ID.exec(id)?.[1];
    if (kind === 'm' || kind === 'd')
      return joined()
        .where(and(eq(deliveries.space, space), eq(kind === 'm' ? deliveries.messageId : deliveries.id, id)))
        .limit(MOST)
        .all()
        .map(asMessage);
    if (kind === 'l') return capturedBy(space, eq(captured.id, id));
    if (kind === 'v') return inboundBy(space, eq(inbound.id, id));
    if (kind !== 'r') return [];
    return reads.db
      .select()
      .from(returns)
      .where(and(eq(returns.id, id), eq(returns.space, space)))
      .all()
      .map((row) => ({
        kind: 'return',
        id: row.id,
        address: row.readout.recipients[0]?.address,
        title: row.readout.subject ?? row.kind,
        state: undefined,
        at: row.receivedAt,
      }));
  }

  function capturedBy(space: string, ...fits: readonly SQL[]): SearchHit[] {
    return reads.db
      .select({ id: captured.id, address: captured.address, title: captured.subject, at: captured.receivedAt })
      .from(captured)
      .where(and(eq(captured.space, space), ...fits))
      .orderBy(desc(captured.seq))
      .limit(MOST)
      .all()
      .map((row) => ({ kind: 'captured', ...row, state: undefined }));
  }

  function inboundBy(space: string, fits: SQL | undefined): SearchHit[] {
    return reads.db
      .select({ id: inbound.id, address: inbound.from, title: inbound.subject, at: inbound.receivedAt })
      .from(inbound)
      .where(and(eq(inbound.space, space), fits))
      .orderBy(desc(inbound.id))
      .limit(MOST)
      .all()
      .map((row) => ({ kind: 'inbound', ...row, state: undefined }));
  }

  /** The beginning of an address is enough: it is a range of the index. */
  function byAddress(space: string, forms: readonly string[]): SearchHit[] {
    const begins = forms.map((start) => and(gte(deliveries.address, start), lt(deliveries.address, `${start}\u{10FFFF}`)));
    return joined()
      .where(and(eq(deliveries.space, space), or(...begins)))
      .limit(MOST * 4)
      .all()
      .map(asMessage)
      .sort((a, b) => (b.at ?? 0) - (a.at ?? 0))
      .slice(0, MOST);
  }

  function byReference(space: string, reference: string): SearchHit[] {
    const ids = reads.db
      .select({ id: messages.id })
      .from(messages)
      .where(and(eq(messages.space, space), eq(messages.reference, reference)))
      .orderBy(desc(messages.id))
      .limit(MOST);
    return joined().where(inArray(deliveries.messageId, ids)).limit(MOST).all().map(asMessage);
  }

  function bySubject(space: string, wanted: string): SearchHit[] {
    const newest = reads.db
      .select({ id: messages.id, subject: messages.subject })
      .from(messages)
      .where(eq(messages.space, space))
      .orderBy(desc(messages.id))
      .limit(SUBJECTS_SEARCHED)
      .as('newest');
    const ids = reads.db
      .select({ id: newest.id })
      .from(newest)
      .where(sql`instr(lower(${newest.subject}), ${wanted.toLowerCase()}) > 0 or instr(${newest.subject}, ${wanted}) > 0`)
      .limit(MOST)
      .all()
      .map((row) => row.id);
    if (ids.length === 0) return [];
    return joined().where(inArray(deliveries.messageId, ids)).orderBy(desc(deliveries.id)).limit(MOST).all().map(asMessage);
  }

  /** Recipients at a domain, what failed for a cause, and what was answered with a code, among the newest. */
  function amongNewest(space: string, fits: SQL): SearchHit[] {
    const newest = reads.db.select({ id: deliveries.id }).from(deliveries).orderBy(desc(deliveries.id)).limit(SUBJECTS_SEARCHED);
    return joined()
      .where(and(inArray(deliveries.id, newest), eq(deliveries.space, space), fits))
      .orderBy(desc(deliveries.id))
      .limit(MOST)
      .all()
      .map(asMessage);
  }

  function byCode(space: string, code: string): SearchHit[] {
    const said = /^[245]\.\d{1,3}\.\d{1,3}$/.test(code) ? eq(facts.status, code) : eq(facts.replyCode, Number(code));
    const newest = reads.db
      .select({ row: sql`rowid`.as('row') })
      .from(facts)
      .orderBy(desc(sql`rowid`))
      .limit(SUBJECTS_SEARCHED);
    const ids = reads.db
      .selectDistinct({ id: facts.deliveryId })
      .from(facts)
      .where(and(sql`${facts}.rowid in ${newest}`, said))
      .limit(MOST);
    return joined()
      .where(and(inArray(deliveries.id, ids), eq(deliveries.space, space)))
      .orderBy(desc(deliveries.id))
      .limit(MOST)
      .all()
      .map(asMessage);
  }

  /** Domains that email is sent as. */
  function sendingAs(wanted: string): SearchHit[] {
    return reads.db
      .select({ name: domains.name, createdAt: domains.createdAt })
      .from(domains)
      .where(like(domains.name, `%${wanted.toLowerCase().replace(/[%_]/g, '')}%`))
      .limit(10)
      .all()
      .map(({ name, createdAt }) => ({
        kind: 'domain',
        id: name,
        address: undefined,
        title: 'sending domain',
        state: undefined,
        at: createdAt,
      }));
  }

  function suppressedBy(space: string, forms: readonly string[]): SearchHit[] {
    return reads.db
      .select()
      .from(suppressions)
      .where(and(eq(suppressions.space, space), inArray(suppressions.address, [...forms])))
      .orderBy(desc(suppressions.id))
      .limit(10)
      .all()
      .map((row) => ({
        kind: 'suppression',
        id: row.id,
        address: row.address,
        title: row.liftedAt === null ? `suppressed: ${row.reason}` : `lifted: ${row.liftNote ?? ''}`,
        state: undefined,
        at: row.createdAt,
      }));
  }

  return {
    /** People by their address or name. */
    people(text: string): SearchHit[] {
      const wanted = `%${text.trim().toLowerCase().replace(/[%_]/g, '')}%`;
      return reads.db
        .select()
        .from(people)
        .where(or(like(people.email, wanted), like(sql`lower(${people.name})`, wanted)))
        .limit(10)
        .all()
        .map(({ id, email, name, createdAt }) => ({ kind: 'person', id, address: email, title: name, state: undefined, at: createdAt }));
    },

    /** Newest first within each kind. */
    find(space: string, text: string): SearchHit[] {
      const wanted = text.trim();
      if (wanted === '') return [];
      const named = byId(space, wanted.toLowerCase());
      if (named.length > 0) return named;
      const forms = [...new Set([wanted, wanted.toLowerCase()])];
      const references = [...new Set([wanted, wanted.toUpperCase(), wanted.toLowerCase()])];
      const domain = /^@?((?:[\w-]+\.)+[a-z][\w-]*)$/i.exec(wanted)?.[1]?.toLowerCase();
      const cause = CAUSES.find((known) => known === wanted.toLowerCase());
      const isAddress = wanted.includes('@');
      const hits = [
        ...(/\s/.test(wanted) ? [] : byAddress(space, forms)),
        // However its capitals are.
        ...(isAddress ? amongNewest(space, sql`lower(${deliveries.address}) = ${wanted.toLowerCase()}`) : []),
        ...references.flatMap((reference) => byReference(space, reference)),
        ...(domain === undefined ? [] : amongNewest(space, eq(deliveries.domain, domain))),
        ...(cause === undefined ? [] : amongNewest(space, eq(deliveries.cause, cause satisfies Cause))),
        ...(/^[245](?:\d\d|\.\d{1,3}\.\d{1,3})$/.test(wanted) ? byCode(space, wanted) : []),
        ...(!isAddress && wanted.length >= 2 ? bySubject(space, wanted) : []),
        ...capturedBy(space, ...holdsWords(wanted)).slice(0, 20),
        ...(isAddress ? inboundBy(space, inArray(inbound.from, forms)) : []),
        ...(isAddress ? suppressedBy(space, forms) : []),
        ...(wanted.length >= 3 ? sendingAs(wanted) : []),
      ];
      return [...new Map(hits.map((hit) => [`${hit.kind}/${hit.id}/${hit.address ?? ''}`, hit])).values()];
    },
  };
}

/** The records of this feature, for the features above it. */
export interface SearchRecords {
  readonly search: ReturnType<typeof searchStore>;
}
