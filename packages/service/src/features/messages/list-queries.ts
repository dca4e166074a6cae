import { and, desc, eq, inArray, lt, sql, type SQL } from 'drizzle-orm';
import type { State } from '@verbalis/core/delivery';
import { reading, type Reader, idSince } from '../../kernel/index.js';
import { deliveries, messages } from './tables.js';

export interface MessageFilter {
  readonly space: string;
  readonly limit: number;
  /** The id of the last message of the page before. */
  readonly before?: string | undefined;
  readonly state?: State | undefined;
  readonly address?: string | undefined;
  readonly template?: string | undefined;
  readonly reference?: string | undefined;
  /** Accepted at this time or later, and before another; in milliseconds since the epoch. */
  readonly from?: number | undefined;
  readonly to?: number | undefined;
}

/** A page of ids, newest first. */
export interface MessagePage {
  readonly ids: readonly string[];
  /** Where the next page begins; undefined at the end. */
  readonly next: string | undefined;
  /** The look ended before the page was full: there may be more behind `next`. */
  readonly partial: boolean;
}

/** Look-ups that one page costs at most; each takes some microseconds. */
const MOST_LOOKS = 6000;

/** The messages that fit one condition, in order of their ids. */
interface Source {
  /** The newest one before an id. */
  readonly newestBefore: (id: string) => string | undefined;
  readonly has: (id: string) => boolean;
}

/** What a row has in a column, before an id: conditions that an index ending with the id answers. */
function hasBefore(
  { space, id }: Pick<typeof messages, 'space' | 'id'> | Pick<typeof deliveries, 'space' | 'id'>,
  column: typeof messages.template | typeof messages.reference | typeof deliveries.state | typeof deliveries.address,
): SQL | undefined {
  return and(eq(space, sql.placeholder('space')), eq(column, sql.placeholder('value')), lt(id, sql.placeholder('before')));
}

/** The newest message with a value; or the one so many entries behind it. */
const messageWith = (column: typeof messages.template | typeof messages.reference, behind = 0) =>
  reading((db) =>
    db
      .select({ id: messages.id })
      .from(messages)
      .where(hasBefore(messages, column))
      .orderBy(desc(messages.id))
      .limit(1)
      .offset(behind)
      .prepare(),
  );
// Ids are one sequence, whatever they begin with: those of a message's deliveries come after its own and before the next message's. So an
// index that ends with the delivery's id gives messages in order.
const recipientWith = (column: typeof deliveries.state | typeof deliveries.address, behind = 0) =>
  reading((db) =>
    db
      .select({ id: deliveries.messageId })
      .from(deliveries)
      .where(hasBefore(deliveries, column))
      .orderBy(desc(deliveries.id))
      .limit(1)
      .offset(behind)
      .prepare(),
  );
const byTemplate = messageWith(messages.template);
const byReference = messageWith(messages.reference);
const byState = recipientWith(deliveries.state);
const byAddress = recipientWith(deliveries.address);
const bySpace = reading((db) =>
  db
    .select({ id: messages.id })
    .from(messages)
    .where(and(eq(messages.space, sql.placeholder('space')), lt(messages.id, sql.placeholder('before'))))
    .orderBy(desc(messages.id))
    .limit(1)
    .prepare(),
);
const byMessageId = reading((db) =>
  db
    .select({ template: messages.template, reference: messages.reference })
    .from(messages)
    .where(eq(messages.id, sql.placeholder('id')))
    .prepare(),
);
const recipientsOf = reading((db) =>
  db
    .select({ state: deliveries.state, address: deliveries.address })
    .from(deliveries)
    .where(eq(deliveries.messageId, sql.placeholder('id')))
    .prepare(),
);

/** Behind every id. */
const NEWEST = 'm~';
const ofDelivery = (id: string): string => `d${id.slice(1)}`;

function sourcesOf(filter: MessageFilter, from: Reader): Source[] {
  const { space, template, reference, state, address } = filter;
  const sources: Source[] = [];
  const ofMessage = (query: typeof byTemplate, value: string, has: Source['has']): void => {
    sources.push({ newestBefore: (before) => query(from).get({ space, value, before })?.id, has });
  };
  const ofRecipient = (query: typeof byState, value: string): void => {
    sources.push({
      newestBefore: (before) => query(from).get({ space, value, before: ofDelivery(before) })?.id,
      // State and address are those of one and the same recipient.
      has: (id) =>
        recipientsOf(from)
          .all({ id })
          .some((row) => (state === undefined || row.state === state) && (address === undefined || row.address === address)),
    });
  };
  if (reference !== undefined) ofMessage(byReference, reference, (id) => byMessageId(from).get({ id })?.reference === reference);
  if (address !== undefined) ofRecipient(byAddress, address);
  if (template !== undefined) ofMessage(byTemplate, template, (id) => byMessageId(from).get({ id })?.template === template);
  if (state !== undefined) ofRecipient(byState, state);
  if (sources.length === 0) sources.push({ newestBefore: (before) => bySpace(from).get({ space, before })?.id, has: () => true });
  return sources;
}

/** Messages of a template, and deliveries in a state, are both many: entries of the rarer are looked at in blocks, so many of them for a page. */
const [BLOCK, MOST_ENTRIES] = [400, 2400];
/** Which is the rarer is seen by how far so many entries of each go back. */
const PROBE = 200;

const stateProbe = recipientWith(deliveries.state, PROBE);
const templateProbe = messageWith(messages.template, PROBE);
const stateBlock = reading((db) =>
  db
    .select({ id: deliveries.messageId, other: messages.template })
    .from(deliveries)
    .innerJoin(messages, eq(messages.id, deliveries.messageId))
    .where(hasBefore(deliveries, deliveries.state))
    .orderBy(desc(deliveries.id))
    .limit(BLOCK)
    .prepare(),
);
const templateBlock = reading((db) =>
  db
    .select({
      id: messages.id,
      // With a name of its own: within a query of one table columns stand without that of their table.
      other: sql<0 | 1>`exists (select 1 from deliveries d where d.message_id = messages.id and d.state = ${sql.placeholder('state')})`,
    })
    .from(messages)
    .where(hasBefore(messages, messages.template))
    .orderBy(desc(messages.id))
    .limit(BLOCK)
    .prepare(),
);

interface Both {
  readonly space: string;
  readonly template: string;
  readonly state: State;
}

/** The messages of a template with a recipient in a state. */
function pageOfBoth(both: Both, limit: number, { before: start, oldest }: { before: string; oldest: string }, from: Reader): MessagePage {
  const timeOf = (row: { id: string } | undefined): string => row?.id.slice(1) ?? '';
  const { space, template, state } = both;
  const isByState =
    timeOf(stateProbe(from).get({ space, value: state, before: ofDelivery(start) })) <
    timeOf(templateProbe(from).get({ space, value: template, before: start }));
  const ids: string[] = [];
  let before = start;
  for (let looked = 0; looked < MOST_ENTRIES; looked += BLOCK) {
    const rows = isByState
      ? stateBlock(from)
          .all({ space, value: state, before: ofDelivery(before) })
          .map(({ id, other }) => ({ id, fits: other === template }))
      : templateBlock(from)
          .all({ space, value: template, state, before })
          .map(({ id, other }) => ({ id, fits: other === 1 }));
    for (const { id, fits } of rows) {
      if (id < oldest) return { ids, next: undefined, partial: false };
      before = id;
      // Several recipients of one message may be in the state.
      if (!fits || ids.at(-1) === id) continue;
      if (ids.length === limit) return { ids, next: ids.at(-1), partial: false };
      ids.push(id);
    }
    if (rows.length < BLOCK) return { ids, next: undefined, partial: false };
  }
  return { ids, next: before, partial: true };
}

/**
 * The messages that fit a filter, newest first, found through indexes alone: each condition has one that is ordered by id, and whichever does
 * not hold for a candidate says from where to go on. So the cost is bounded by the rarest condition, and in any case by a number of look-ups.
 */
export function messagePage(filter: MessageFilter, from: Reader): MessagePage {
  const sources = sourcesOf(filter, from);
  // Ids sort by time.
  const oldest = filter.from === undefined ? '' : idSince('m', filter.from);
  const newest = filter.to === undefined ? NEWEST : idSince('m', filter.to);
  let before = filter.before !== undefined && filter.before < newest ? filter.before : newest;
  const { space, template, state, address, reference } = filter;
  if (template !== undefined && state !== undefined && address === undefined && reference === undefined)
    return pageOfBoth({ space, template, state }, filter.limit, { before, oldest }, from);
  const ids: string[] = [];
  let looks = 0;
  for (;;) {
    if (looks >= MOST_LOOKS) return { ids, next: before, partial: true };
    // Every condition names the newest message that it allows; the oldest of these is the only one that all of them can allow.
    let candidate: string | undefined = NEWEST;
    for (const source of sources) {
      looks += 1;
      const own: string | undefined = source.newestBefore(before);
      if (own === undefined || own < oldest) return { ids, next: undefined, partial: false };
      if (own < candidate) candidate = own;
    }
    const id: string = candidate;
    looks += sources.length;
    if (sources.every((source) => source.has(id))) {
      if (ids.length === filter.limit) return { ids, next: ids.at(-1), partial: false };
      ids.push(id);
    }
    // Nothing that is newer than the candidate fits all conditions.
    before = id;
  }
}

/** One of these forms of an address or a reference that is there; the first where none is. */
function known(query: typeof byAddress, space: string, forms: readonly string[], from: Reader): string | undefined {
  const before = query === byAddress ? ofDelivery(NEWEST) : NEWEST;
  return forms.find((value) => query(from).get({ space, value, before }) !== undefined) ?? forms[0];
}

/** What someone looks for, in the letters in which it is kept: people do not mind capitals. */
export function asWritten<F extends Pick<MessageFilter, 'address' | 'reference'>>(space: string, filter: F, from: Reader): F {
  const { address, reference } = filter;
  const forms = (text: string): string[] => [text, text.toLowerCase(), text.toUpperCase()];
  return {
    ...filter,
    ...(address === undefined ? {} : { address: known(byAddress, space, forms(address), from) }),
    ...(reference === undefined ? {} : { reference: known(byReference, space, forms(reference), from) }),
  };
}

/** The rows of a page, in its order. */
export function messageRows(page: MessagePage, from: Reader): (typeof messages.$inferSelect)[] {
  return from.db
    .select()
    .from(messages)
    .where(inArray(messages.id, [...page.ids]))
    .orderBy(desc(messages.id))
    .all();
}
