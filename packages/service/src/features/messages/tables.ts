import type { Cause, FactKind, FactSource, HitDetails, State } from '@verbalis/core/delivery';
import type { Tracking } from '@verbalis/core/folder';
import { sql } from 'drizzle-orm';
import { blob, index, integer, primaryKey, sqliteTable, text, uniqueIndex } from 'drizzle-orm/sqlite-core';

export interface StoredMailbox {
  readonly name: string;
  readonly address: string;
}

export interface MessageMore {
  /** An email that was made by the app itself. */
  readonly ready?: { readonly html?: string; readonly text: string };
  /** An email that came in as a whole: where its bytes are. */
  readonly raw?: string;
  readonly cc?: readonly StoredMailbox[];
  readonly replyTo?: readonly StoredMailbox[];
  readonly headers?: readonly (readonly [name: string, value: string])[];
  /** Message-IDs without angle brackets. */
  readonly inReplyTo?: string;
  readonly references?: readonly string[];
  readonly calendar?: { readonly method: string; readonly text: string };
  /** Of an email that came in as a whole: who brought it and how, for its Received field. */
  readonly trace?: { readonly from: string; readonly by: string; readonly protocol: string };
  /** Whether it came with the null sender, and is sent with it. */
  readonly isFromNobody?: boolean;
  /** What was changed of it so that it can be signed. */
  readonly repairs?: readonly string[];
  /** How many attachments it has, so that most emails need not look for any. */
  readonly attached?: number;
  /** The trace of the app's that it belongs to (W3C Trace Context). */
  readonly traceparent?: string;
  readonly tracestate?: string;
  /** Whether answers come to the service. */
  readonly replies?: boolean;
  /** Of an answer to inbound mail: who gives it. */
  readonly answer?: 'person' | 'program';
  /** What becomes known of what its recipients do with it. */
  readonly tracking?: Tracking;
  /** Some of its data are sensitive: what is in its row is masked, and the rest is encrypted while it is needed. */
  readonly sensitive?: boolean;
  /** Only its recipients may read it: it holds a way to sign in. */
  readonly sealed?: boolean;
  /** What is no longer kept of it. */
  readonly dropped?: 'body' | 'data';
  /** The locale that was asked for, where the mail is in another language. */
  readonly localeAsked?: string;
}

export const messages = sqliteTable(
  'messages',
  {
    id: text('id').primaryKey(),
    space: text('space').notNull(),
    edition: integer('edition').notNull(),
    template: text('template').notNull(),
    locale: text('locale').notNull(),
    topic: text('topic'),
    subject: text('subject').notNull(),
    sender: text('sender', { mode: 'json' }).$type<StoredMailbox>().notNull(),
    to: text('to', { mode: 'json' }).$type<StoredMailbox[]>().notNull(),
    /** What only some messages have. */
    more: text('more', { mode: 'json' }).$type<MessageMore>().notNull().default({}),
    reference: text('reference'),
    labels: text('labels', { mode: 'json' }).$type<Record<string, string>>().notNull(),
    data: text('data', { mode: 'json' }).$type<unknown>().notNull(),
    /** Message-ID without angle brackets. */
    headerId: text('header_id').notNull(),
    createdAt: integer('created_at').notNull(),
    /** Until when its topic keeps its body, its data and its facts; null: as long as the service does. */
    bodyUntil: integer('body_until'),
    dataUntil: integer('data_until'),
    factsUntil: integer('facts_until'),
  },
  (table) => [
    index('messages_body_until')
      .on(table.bodyUntil)
      .where(sql`${table.bodyUntil} is not null`),
    index('messages_data_until')
      .on(table.dataUntil)
      .where(sql`${table.dataUntil} is not null`),
    index('messages_facts_until')
      .on(table.factsUntil)
      .where(sql`${table.factsUntil} is not null`),
    index('messages_by_space').on(table.space, table.id),
    index('messages_by_header_id').on(table.headerId),
    index('messages_by_reference').on(table.space, table.reference, table.id),
    index('messages_by_template').on(table.space, table.template, table.id),
    index('messages_by_edition').on(table.space, table.edition),
    index('messages_by_raw')
      .on(sql`${table.more} ->> '$.raw'`)
      .where(sql`${table.more} ->> '$.raw' is not null`),
  ],
);

/** The bytes as they were handed over; made at the first attempt and the same for every later one. */
export const emails = sqliteTable('emails', {
  deliveryId: text('delivery_id').primaryKey(),
  bytes: blob('bytes', { mode: 'buffer' }).notNull(),
});

export const deliveries = sqliteTable(
  'deliveries',
  {
    id: text('id').primaryKey(),
    messageId: text('message_id')
      .notNull()
      .references(() => messages.id),
    space: text('space').notNull(),
    address: text('address').notNull(),
    state: text('state').$type<State>().notNull(),
    cause: text('cause').$type<Cause>(),
    attempts: integer('attempts').notNull(),
    createdAt: integer('created_at').notNull(),
    /** When the next attempt is due; null when none follows, while one has begun, and while it is held. */
    nextAttemptAt: integer('next_attempt_at'),
    /** The date before which the app wants nothing sent; null where it named none. */
    notBefore: integer('not_before'),
    /** The run of the service that has begun an attempt. */
    owner: text('owner'),
    /** Deliveries with the same key are sent in order, keys take turns (core/delivery). Sorts by priority. */
    fairnessKey: text('fairness_key').notNull(),
    /** The recipient's. */
    domain: text('domain').notNull(),
    senderDomain: text('sender_domain').notNull(),
    /** After this it is not sent any more. */
    expiresAt: integer('expires_at'),
    /** The fact that its state follows from. */
    decidedBy: text('decided_by'),
    /** The provider that has just failed it. */
    avoid: text('avoid'),
    /** Providers that cannot accept it, with spaces between their names. */
    unfit: text('unfit'),
    /** The provider that may have it, since its answer was lost: it is asked again and no other. */
    unsettled: text('unsettled'),
    /** When that answer was lost. */
    unsettledAt: integer('unsettled_at'),
    /** The hold that keeps it from being sent, and when it was due otherwise. */
    heldBy: text('held_by'),
    heldFrom: integer('held_from'),
    /** Whom the app meant, where the space's rules send it to someone else. */
    intended: text('intended'),
    /** Whether the space's rules keep it here. */
    kept: integer('kept', { mode: 'boolean' }).notNull().default(false),
    /** Whether its message has sensitive data: nothing that quotes it is kept. */
    sensitive: integer('sensitive', { mode: 'boolean' }).notNull().default(false),
  },
  (table) => [
    index('deliveries_by_message').on(table.messageId),
    index('deliveries_by_fairness_key')
      .on(table.fairnessKey, table.nextAttemptAt, table.id)
      .where(sql`${table.nextAttemptAt} is not null`),
    index('deliveries_by_domain')
      .on(table.fairnessKey, table.domain, table.nextAttemptAt, table.id)
      .where(sql`${table.nextAttemptAt} is not null`),
    index('deliveries_by_deadline')
      .on(table.expiresAt)
      .where(sql`coalesce(${table.nextAttemptAt}, ${table.heldFrom}) is not null and ${table.expiresAt} is not null`),
    index('deliveries_by_hold')
      .on(table.heldBy, table.id)
      .where(sql`${table.heldBy} is not null`),
    index('deliveries_by_owner')
      .on(table.owner)
      .where(sql`${table.owner} is not null`),
    index('deliveries_by_age').on(table.createdAt),
    index('deliveries_by_address').on(table.space, table.address, table.id),
    index('deliveries_by_state').on(table.space, table.state, table.id),
    index('deliveries_by_plan')
      .on(table.space, table.notBefore, table.id)
      .where(sql`${table.notBefore} is not null`),
  ],
);

export const attempts = sqliteTable(
  'attempts',
  {
    id: text('id').primaryKey(),
    deliveryId: text('delivery_id')
      .notNull()
      .references(() => deliveries.id),
    number: integer('number').notNull(),
    provider: text('provider').notNull(),
    startedAt: integer('started_at').notNull(),
    endedAt: integer('ended_at'),
    /** Null while it is under way. */
    outcome: text('outcome').$type<'accepted' | 'refused' | 'deferred' | 'rejected' | 'trouble' | 'uncertain'>(),
    phase: text('phase'),
    replyCode: integer('reply_code'),
    status: text('status'),
    diagnostic: text('diagnostic'),
    /** What the provider calls the mail. */
    providerId: text('provider_id'),
  },
  (table) => [
    index('attempts_by_provider_id').on(table.providerId),
    uniqueIndex('attempts_by_delivery').on(table.deliveryId, table.number),
  ],
);

export const facts = sqliteTable(
  'facts',
  {
    /** Made from what the fact says, so that the same fact reported twice is one row. */
    id: text('id').primaryKey(),
    deliveryId: text('delivery_id')
      .notNull()
      .references(() => deliveries.id),
    kind: text('kind').$type<FactKind>().notNull(),
    source: text('source').$type<FactSource>().notNull(),
    at: integer('at').notNull(),
    recordedAt: integer('recorded_at').notNull(),
    cause: text('cause').$type<Cause>(),
    status: text('status'),
    replyCode: integer('reply_code'),
    diagnostic: text('diagnostic'),
    returnId: text('return_id'),
    /** Of a link that was followed or a picture that was loaded. */
    details: text('details', { mode: 'json' }).$type<HitDetails>(),
  },
  (table) => [index('facts_by_delivery').on(table.deliveryId)],
);

export const idempotency = sqliteTable(
  'idempotency',
  {
    space: text('space').notNull(),
    key: text('key').notNull(),
    bodyHash: text('body_hash').notNull(),
    messageId: text('message_id').notNull(),
    createdAt: integer('created_at').notNull(),
  },
  (table) => [primaryKey({ columns: [table.space, table.key] })],
);

export type MessageRow = typeof messages.$inferSelect;

/** What a message has of which nothing was said. */
export const BARE_MESSAGE = {
  topic: null,
  more: {},
  reference: null,
  labels: {},
  data: {},
  bodyUntil: null,
  dataUntil: null,
  factsUntil: null,
} as const satisfies Partial<MessageRow>;
export type DeliveryRow = typeof deliveries.$inferSelect;
