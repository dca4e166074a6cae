import type { Cause, FactKind, FactSource, State, SuppressionReason } from '@verbalis/core/delivery';
import type { Counted, EventKind } from '@verbalis/core/events';
import type { RecipientReport, ReturnKind } from '@verbalis/core/returns';
import { sql } from 'drizzle-orm';
import { blob, index, integer, primaryKey, real, sqliteTable, text, uniqueIndex } from 'drizzle-orm/sqlite-core';

// Times are milliseconds since the epoch. Ids sort by the time they were made.

export const keys = sqliteTable('keys', {
  id: text('id').primaryKey(),
  space: text('space').notNull(),
  name: text('name').notNull(),
  scopes: text('scopes', { mode: 'json' }).$type<string[]>().notNull(),
  hash: text('hash').notNull().unique(),
  createdAt: integer('created_at').notNull(),
});

/** Contents of editions, by SHA-256: a file that does not change is kept once. */
export const blobs = sqliteTable('blobs', {
  hash: text('hash').primaryKey(),
  bytes: blob('bytes', { mode: 'buffer' }).notNull(),
});

export const editions = sqliteTable(
  'editions',
  {
    space: text('space').notNull(),
    number: integer('number').notNull(),
    /** Of the manifest: the same files make the same hash. */
    hash: text('hash').notNull(),
    /** Path to hash of its contents. */
    manifest: text('manifest', { mode: 'json' }).$type<Record<string, string>>().notNull(),
    createdAt: integer('created_at').notNull(),
  },
  (table) => [primaryKey({ columns: [table.space, table.number] })],
);

export interface StoredMailbox {
  readonly name: string;
  readonly address: string;
}

export interface MessageMore {
  /** A mail that was made by the app itself. */
  readonly ready?: { readonly html?: string; readonly text: string };
  /** A mail that came in as a whole: where its bytes are. */
  readonly raw?: string;
  readonly cc?: readonly StoredMailbox[];
  readonly replyTo?: readonly StoredMailbox[];
  readonly headers?: readonly (readonly [name: string, value: string])[];
  /** Message-IDs without angle brackets. */
  readonly inReplyTo?: string;
  readonly references?: readonly string[];
  readonly calendar?: { readonly method: string; readonly text: string };
  /** How many attachments it has, so that most mails need not look for any. */
  readonly attached?: number;
  /** The locale that was asked for, where the mail is in another language. */
  readonly localeAsked?: string;
}

export interface ToldReturn {
  readonly recipients: readonly RecipientReport[];
  readonly subject?: string | undefined;
  readonly from?: string | undefined;
  readonly originalMessageId?: string | undefined;
  readonly feedbackType?: string | undefined;
  /** Why nothing came of it. */
  readonly problem?: string | undefined;
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
  },
  (table) => [
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
export const mails = sqliteTable('mails', {
  deliveryId: text('delivery_id').primaryKey(),
  bytes: blob('bytes', { mode: 'buffer' }).notNull(),
});

/** Bytes that came with messages, in pieces, so that none is ever in memory as a whole. */
export const contents = sqliteTable('contents', {
  id: text('id').primaryKey(),
  /** SHA-256 in hex; null while it is still coming in. */
  hash: text('hash'),
  size: integer('size').notNull(),
  createdAt: integer('created_at').notNull(),
});
export const contentPieces = sqliteTable(
  'content_pieces',
  {
    contentId: text('content_id').notNull(),
    n: integer('n').notNull(),
    bytes: blob('bytes', { mode: 'buffer' }).notNull(),
  },
  (table) => [primaryKey({ columns: [table.contentId, table.n] })],
);

/** What apps have handed in to be attached later. */
export const uploads = sqliteTable(
  'uploads',
  {
    id: text('id').primaryKey(),
    space: text('space').notNull(),
    name: text('name').notNull(),
    type: text('type').notNull(),
    contentId: text('content_id').notNull(),
    createdAt: integer('created_at').notNull(),
  },
  (table) => [index('uploads_by_content').on(table.contentId)],
);

export const attachments = sqliteTable(
  'attachments',
  {
    messageId: text('message_id').notNull(),
    n: integer('n').notNull(),
    name: text('name').notNull(),
    type: text('type').notNull(),
    /** Where it is fetched from when the mail is made. */
    url: text('url'),
    /** Null until it is fetched. */
    contentId: text('content_id'),
  },
  (table) => [
    primaryKey({ columns: [table.messageId, table.n] }),
    index('attachments_by_content')
      .on(table.contentId)
      .where(sql`${table.contentId} is not null`),
  ],
);

/** Keys that sign mail for a domain (DKIM); the private half sealed with the service's master key. */
export const signingKeys = sqliteTable(
  'signing_keys',
  {
    domain: text('domain').notNull(),
    selector: text('selector').notNull(),
    algorithm: text('algorithm').$type<'rsa-sha256' | 'ed25519-sha256'>().notNull(),
    sealed: blob('sealed', { mode: 'buffer' }).notNull(),
    /** The text to publish in the DNS. */
    record: text('record').notNull(),
    createdAt: integer('created_at').notNull(),
  },
  (table) => [primaryKey({ columns: [table.domain, table.selector] })],
);

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
    /** When the next attempt is due; null when none follows. While a worker has it: when it is given up on that worker. */
    nextAttemptAt: integer('next_attempt_at'),
    leaseUntil: integer('lease_until'),
    /** The worker that has it. */
    owner: text('owner'),
    /** What goes out together in turn with others: priority, space and topic. Sorts by priority. */
    line: text('line').notNull(),
    domain: text('domain').notNull(),
    /** After this it is not sent any more. */
    expiresAt: integer('expires_at'),
    /** The fact that its state follows from. */
    decidedBy: text('decided_by'),
    /** The provider that has just failed it. */
    avoid: text('avoid'),
    /** Whom the app meant, where the space's rules send it to somebody else. */
    intended: text('intended'),
    /** Whether the space's rules keep it here. */
    kept: integer('kept', { mode: 'boolean' }).notNull().default(false),
  },
  (table) => [
    index('deliveries_by_message').on(table.messageId),
    index('deliveries_by_line')
      .on(table.line, table.nextAttemptAt, table.id)
      .where(sql`${table.nextAttemptAt} is not null`),
    index('deliveries_by_deadline')
      .on(table.expiresAt)
      .where(sql`${table.nextAttemptAt} is not null and ${table.expiresAt} is not null`),
    index('deliveries_by_owner')
      .on(table.owner)
      .where(sql`${table.owner} is not null`),
    index('deliveries_by_age').on(table.createdAt),
    index('deliveries_by_address').on(table.space, table.address, table.id),
    index('deliveries_by_state').on(table.space, table.state, table.id),
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
    outcome: text('outcome').$type<'accepted' | 'refused' | 'deferred' | 'trouble' | 'uncertain'>(),
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
  },
  (table) => [index('facts_by_delivery').on(table.deliveryId)],
);

/** Everything that is made public, in the order of becoming known: facts, and what has no fact (alerts, tests). */
export const events = sqliteTable(
  'events',
  {
    seq: integer('seq').primaryKey({ autoIncrement: true }),
    /** The fact's id, where it is one. */
    id: text('id').notNull(),
    space: text('space').notNull(),
    kind: text('kind').$type<EventKind>().notNull(),
    deliveryId: text('delivery_id'),
    at: integer('at').notNull(),
    recordedAt: integer('recorded_at').notNull(),
    /** What an alert or a test says. */
    data: text('data', { mode: 'json' }).$type<Record<string, unknown>>(),
  },
  (table) => [
    index('events_by_kind').on(table.space, table.kind, table.seq),
    index('events_by_delivery')
      .on(table.deliveryId, table.seq)
      .where(sql`${table.deliveryId} is not null`),
  ],
);

export type SubscriptionState = 'unproven' | 'active' | 'paused' | 'gone';

/** Where events are sent. */
export const subscriptions = sqliteTable(
  'subscriptions',
  {
    id: text('id').primaryKey(),
    space: text('space').notNull(),
    name: text('name').notNull(),
    url: text('url').notNull(),
    filter: text('filter').notNull(),
    /** Secrets that sign, the newest first, and header fields of its own: sealed with the service's master key. */
    sealed: blob('sealed', { mode: 'buffer' }).notNull(),
    /** A JSON template in place of the event. */
    shape: text('shape', { mode: 'json' }).$type<unknown>(),
    /** Events in one notification at most. */
    batch: integer('batch').notNull(),
    handshake: integer('handshake', { mode: 'boolean' }).notNull(),
    state: text('state').$type<SubscriptionState>().notNull(),
    /** Why it is in that state, where somebody would ask. */
    reason: text('reason'),
    /** All events up to this one have been looked at. */
    cursor: integer('cursor').notNull(),
    createdAt: integer('created_at').notNull(),
  },
  (table) => [index('subscriptions_by_space').on(table.space, table.id)],
);

/** One event on its way to one subscription; written when its first try has ended. */
export const notifications = sqliteTable(
  'notifications',
  {
    subscriptionId: text('subscription_id').notNull(),
    seq: integer('seq').notNull(),
    state: text('state').$type<'waiting' | 'delivered' | 'set-aside'>().notNull(),
    /** What must come in order: the delivery, or the event itself. */
    line: text('line').notNull(),
    attempts: integer('attempts').notNull(),
    /** When the next try is due. */
    nextAt: integer('next_at'),
    lastAt: integer('last_at'),
    /** HTTP status of the last answer. */
    status: integer('status'),
    problem: text('problem'),
    milliseconds: integer('milliseconds'),
  },
  (table) => [
    primaryKey({ columns: [table.subscriptionId, table.seq] }),
    index('notifications_waiting')
      .on(table.subscriptionId, table.nextAt)
      .where(sql`${table.state} = 'waiting'`),
    index('notifications_set_aside')
      .on(table.subscriptionId, table.seq)
      .where(sql`${table.state} = 'set-aside'`),
  ],
);

/** How far those have come who go through all events. */
export const cursors = sqliteTable('cursors', { name: text('name').primaryKey(), seq: integer('seq').notNull() });

/** A rule over what happens, as it is written down. */
export interface StoredAlertRule {
  readonly of: EventKind[];
  readonly where: string;
  readonly by?: 'topic' | 'template' | 'provider' | 'domain' | 'cause' | undefined;
  readonly percent?: number | undefined;
  readonly count?: number | undefined;
  readonly queueSeconds?: number | undefined;
  readonly minutes: number;
  readonly least: number;
}

/** Counts by hour and day: how many deliveries of a time came to which state, and how long it took. */
export const figures = sqliteTable(
  'figures',
  {
    space: text('space').notNull(),
    /** 'hour' or 'day' (UTC). */
    grain: text('grain').$type<'hour' | 'day'>().notNull(),
    dimension: text('dimension').notNull(),
    /** When the span begins, in milliseconds since the epoch. */
    at: integer('at').notNull(),
    value: text('value').notNull(),
    /** A state, "opened", "clicked", or a bucket of time: "to-accepted:31". */
    measure: text('measure').notNull(),
    n: integer('n').notNull(),
  },
  (table) => [primaryKey({ columns: [table.space, table.grain, table.dimension, table.at, table.value, table.measure] })],
);

/** As what a delivery stands in the figures. */
export const counted = sqliteTable('counted', {
  deliveryId: text('delivery_id').primaryKey(),
  as: text('counted_as', { mode: 'json' }).$type<Counted>().notNull(),
});

/** Alerts that fire, or have fired. */
export const alerts = sqliteTable(
  'alerts',
  {
    id: text('id').primaryKey(),
    space: text('space').notNull(),
    rule: text('rule').notNull(),
    /** The value of what the rule groups by; empty where it does not. */
    group: text('group').notNull(),
    since: integer('since').notNull(),
    resolvedAt: integer('resolved_at'),
    /** What was measured when it began, and the same in a sentence. */
    value: real('value').notNull(),
    text: text('text').notNull(),
    /** How much of it the operator has been told. */
    told: integer('told').$type<0 | 1 | 2>().notNull().default(0),
  },
  (table) => [
    uniqueIndex('alerts_firing')
      .on(table.space, table.rule, table.group)
      .where(sql`${table.resolvedAt} is null`),
    index('alerts_by_space').on(table.space, table.id),
    index('alerts_by_end')
      .on(table.resolvedAt)
      .where(sql`${table.resolvedAt} is not null`),
  ],
);

/** Rules that people have set beside those of the configuration. */
export const alertRules = sqliteTable(
  'alert_rules',
  {
    space: text('space').notNull(),
    name: text('name').notNull(),
    rule: text('rule', { mode: 'json' }).$type<StoredAlertRule>().notNull(),
    createdAt: integer('created_at').notNull(),
  },
  (table) => [primaryKey({ columns: [table.space, table.name] })],
);

/** What came back, as it came back: a mail, or an event that a provider has called about. */
export const returns = sqliteTable(
  'returns',
  {
    id: text('id').primaryKey(),
    /** SHA-256 of what makes it this one: the same mail or event twice is one return. */
    hash: text('hash').notNull().unique(),
    /** Null where nobody knows whose it is. */
    space: text('space'),
    source: text('source').$type<'mail' | 'upload' | 'callback'>().notNull(),
    /** The provider that has called. */
    provider: text('provider'),
    receivedAt: integer('received_at').notNull(),
    envelopeFrom: text('envelope_from').notNull(),
    envelopeTo: text('envelope_to').notNull(),
    kind: text('kind').$type<ReturnKind>().notNull(),
    /** The delivery that it is about; null for one that nobody could match. */
    deliveryId: text('delivery_id'),
    /** What was read out of it, for people. */
    told: text('told', { mode: 'json' }).$type<ToldReturn>().notNull(),
    bytes: blob('bytes', { mode: 'buffer' }).notNull(),
  },
  (table) => [
    index('returns_by_space').on(table.space, table.id),
    index('returns_by_kind').on(table.space, table.kind, table.id),
    index('returns_by_delivery').on(table.deliveryId),
    index('returns_unmatched')
      .on(table.space, table.id)
      .where(sql`${table.deliveryId} is null`),
  ],
);

/** What providers have called with, kept until its events are read. */
export const callbackBatches = sqliteTable('callback_batches', {
  id: text('id').primaryKey(),
  provider: text('provider').notNull(),
  receivedAt: integer('received_at').notNull(),
  /** Where the body is a list of events that were found in a call before, one of which failed then. */
  extracted: integer('extracted', { mode: 'boolean' }).notNull().default(false),
  body: blob('body', { mode: 'buffer' }).notNull(),
});

/** Addresses that get no more mail. A lifted one stays, as a record. */
export const suppressions = sqliteTable(
  'suppressions',
  {
    id: text('id').primaryKey(),
    space: text('space').notNull(),
    /** As addresses are compared. */
    address: text('address').notNull(),
    /** Only mail of this topic; empty: none at all. */
    topic: text('topic').notNull().default(''),
    reason: text('reason').$type<SuppressionReason>().notNull(),
    cause: text('cause').$type<Cause>(),
    /** What the other side said. */
    evidence: text('evidence'),
    deliveryId: text('delivery_id'),
    note: text('note'),
    createdAt: integer('created_at').notNull(),
    liftedAt: integer('lifted_at'),
    liftNote: text('lift_note'),
  },
  (table) => [
    uniqueIndex('suppressions_in_force')
      .on(table.space, table.address, table.topic)
      .where(sql`${table.liftedAt} is null`),
    index('suppressions_by_space').on(table.space, table.id),
    index('suppressions_by_address').on(table.space, table.address, table.id),
    index('suppressions_by_reason').on(table.space, table.reason, table.id),
    index('suppressions_by_topic').on(table.space, table.topic, table.id),
  ],
);

/** Mails that were kept to be looked at, each for one recipient. */
export const captured = sqliteTable(
  'captured',
  {
    /** In the order of coming in, for those who follow it live. */
    seq: integer('seq').primaryKey({ autoIncrement: true }),
    id: text('id').notNull().unique(),
    space: text('space').notNull(),
    /** Null for a test that was no message. */
    deliveryId: text('delivery_id').unique(),
    messageId: text('message_id'),
    /** The envelope's recipient, as addresses are compared. */
    address: text('address').notNull(),
    /** The From field, as people read it. */
    sender: text('sender').notNull(),
    subject: text('subject').notNull(),
    receivedAt: integer('received_at').notNull(),
    size: integer('size').notNull(),
    attachments: integer('attachments').notNull(),
    /** The likeliest one-time code in it. */
    code: text('code'),
    /** Where the bytes are that an app handed in; null where they stand here. */
    contentId: text('content_id'),
    bytes: blob('bytes', { mode: 'buffer' }),
  },
  (table) => [
    index('captured_by_space').on(table.space, table.seq),
    index('captured_by_address').on(table.space, table.address, table.seq),
    index('captured_by_content')
      .on(table.contentId)
      .where(sql`${table.contentId} is not null`),
  ],
);

/** What the sender did wrong, by day: told to the operator once. */
export const senderFaults = sqliteTable(
  'sender_faults',
  {
    space: text('space').notNull(),
    cause: text('cause').$type<Cause>().notNull(),
    day: text('day').notNull(),
    count: integer('count').notNull(),
    /** What was said first. */
    evidence: text('evidence').notNull(),
    toldAt: integer('told_at'),
  },
  (table) => [primaryKey({ columns: [table.space, table.cause, table.day] })],
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

/** Which edition of a space is in use. */
export const editionsInUse = sqliteTable('editions_in_use', {
  space: text('space').primaryKey(),
  number: integer('number').notNull(),
});

/** What people have decided about providers. */
export const providerStates = sqliteTable('provider_states', {
  name: text('name').primaryKey(),
  paused: integer('paused', { mode: 'boolean' }).notNull(),
});

/** One-time sign-in tokens and sessions of the console, hashed. */
export const sessions = sqliteTable('sessions', {
  hash: text('hash').primaryKey(),
  kind: text('kind').$type<'sign-in' | 'session'>().notNull(),
  createdAt: integer('created_at').notNull(),
  expiresAt: integer('expires_at').notNull(),
});
