import { CAUSES, FACT_KINDS, STATES } from '@verbalis/core/delivery';
import * as z from 'zod';
import { localeFault } from '@verbalis/core/strings';
import { IdCursor, Limit, oneLine, RequestFault, Time } from '../../kernel/index.js';
import { Attachment } from '../attachments/index.js';

/** A locale tag, whatever its case. */
export const Locale = z
  .string()
  .max(35)
  .superRefine((tag, context) => {
    const fault = localeFault(tag);
    if (fault !== undefined) context.addIssue({ code: 'custom', message: fault });
  })
  .meta({ description: 'BCP 47 tag; the mail folder’s own when left out.' });
export const State = z.enum(STATES).meta({ id: 'State', description: 'The state of a delivery.' });
export const CauseName = z.enum(CAUSES).meta({ id: 'Cause', description: 'Why a delivery failed or waits.' });

const Recipient = z
  .union([
    z
      .string()
      .min(1)
      .max(1000)
      .meta({ description: 'An address, or "Name <address>".', examples: ['Ása Jóns <asa@post.example>'] }),
    z.strictObject({ name: z.string().max(300).optional(), address: z.string().min(1).max(320) }),
  ])
  .meta({ id: 'Recipient' });

export const NewMessage = z
  .strictObject({
    template: z
      .string()
      .min(1)
      .max(100)
      .optional()
      .meta({ description: 'Name of a template of the space’s current edition. Left out: the mail itself is given.' }),
    subject: oneLine(998).optional(),
    html: z.string().optional(),
    text: z.string().optional(),
    topic: z.string().max(100).optional().meta({ description: 'Of an email without a template.' }),
    notBefore: z
      .string()
      .max(40)
      .optional()
      .meta({ description: 'When to send: an instant, or a clock time in timeZone; up to a year ahead.' }),
    expiresAt: z.string().max(40).optional().meta({ description: 'After this it is not sent any more.' }),
    timeZone: z.string().max(60).optional().meta({ description: 'IANA zone of clock times; the mail folder’s when left out.' }),
    to: z.array(Recipient).min(1, 'must name at least one recipient').meta({ description: 'Each recipient gets a delivery of their own.' }),
    data: z.record(z.string(), z.unknown()).optional().meta({ description: 'Data that fits the template’s data schema.' }),
    cc: z.array(Recipient).optional(),
    bcc: z.array(Recipient).optional().meta({ description: 'Get the mail without standing in it.' }),
    from: Recipient.optional().meta({ description: 'Another sender, within the domains of the space.' }),
    replyTo: z.array(Recipient).optional(),
    headers: z
      .record(z.string(), z.string())
      .optional()
      .meta({ description: 'Header fields of the app’s own; those that the service writes are refused.' }),
    inReplyTo: z
      .string()
      .max(1000)
      .optional()
      .meta({ description: 'What this answers: the id of a message here, or a Message-ID in angle brackets.' }),
    references: z.array(z.string().max(1000)).max(50).optional(),
    attachments: z.array(Attachment).max(50).optional(),
    calendar: z
      .strictObject({ method: z.string().regex(/^[A-Z-]{1,30}$/, 'must be a method like REQUEST'), text: z.string().max(200_000) })
      .optional()
      .meta({ description: 'An iCalendar object (RFC 5545) that clients offer to answer.' }),
    locale: Locale.optional(),
    tracking: z
      .union([
        z.literal(false),
        z.strictObject({
          opens: z.literal(false).optional(),
          clicks: z.literal(false).optional(),
          text: z.literal(false).optional(),
          mode: z.literal('counts').optional(),
        }),
      ])
      .optional()
      .meta({ description: 'Less tracking than its topic has; false for none.' }),
    reference: oneLine(200).optional().meta({ description: 'The app’s own name for what the message is about.' }),
    labels: z.record(oneLine(60), oneLine(200)).optional(),
  })
  .meta({ id: 'NewMessage' });

/** What becomes known of what recipients do with an email. */
export const Tracking = z
  .strictObject({ opens: z.boolean(), clicks: z.boolean(), text: z.boolean(), mode: z.enum(['individual', 'counts']) })
  .meta({ id: 'Tracking' });

const Mailbox = z.strictObject({ name: z.string(), address: z.string() }).meta({ id: 'Mailbox' });

export const DeliverySummary = z
  .strictObject({ id: z.string(), address: z.string(), state: State, cause: CauseName.optional() })
  .meta({ id: 'DeliverySummary' });

const messageFields = {
  id: z.string(),
  createdAt: z.iso.datetime(),
  template: z.string(),
  edition: z.int(),
  locale: z.string().meta({ description: 'The locale that the mail is in.' }),
  localeAsked: z.string().optional().meta({ description: 'The locale that was asked for, where the template is not offered in it.' }),
  topic: z.string().optional(),
  subject: z.string(),
  from: Mailbox,
  to: z.array(Mailbox),
  cc: z.array(Mailbox).optional(),
  attachments: z.array(z.strictObject({ name: z.string(), type: z.string(), size: z.int().optional() })).optional(),
  dropped: z
    .enum(['body', 'data'])
    .optional()
    .meta({ description: 'What is no longer kept of it: the body; or the data, and with them subject, body and attachments.' }),
  traceparent: z.string().optional().meta({ description: 'The trace of the app’s that it belongs to (W3C Trace Context).' }),
  reference: z.string().optional(),
  labels: z.record(z.string(), z.string()),
  tracking: Tracking.optional().meta({ description: 'What becomes known of what its recipients do with it; absent for nothing.' }),
  repairs: z
    .array(z.string())
    .optional()
    .meta({ description: 'What was changed of an email that came in as a whole, so that no server on its way breaks its signature.' }),
};

export const MessageSummary = z.strictObject({ ...messageFields, deliveries: z.array(DeliverySummary) }).meta({ id: 'MessageSummary' });

const AttemptView = z
  .strictObject({
    number: z.int(),
    provider: z.string(),
    startedAt: z.iso.datetime(),
    endedAt: z.iso.datetime().optional(),
    outcome: z
      .enum(['accepted', 'refused', 'deferred', 'rejected', 'trouble', 'uncertain'])
      .optional()
      .meta({ description: 'Absent while it is under way.' }),
    phase: z.string().optional(),
    replyCode: z.int().optional(),
    status: z.string().optional().meta({ description: 'Enhanced status code (RFC 3463).' }),
    diagnostic: z.string().optional(),
    providerId: z.string().optional().meta({ description: 'What the provider calls the mail.' }),
  })
  .meta({ id: 'Attempt' });

/** Of a link that was followed or a picture that was loaded. */
export const HitFields = {
  by: z
    .enum(['person', 'machine', 'unknown'])
    .optional()
    .meta({ description: 'Of a link that was followed or a picture that was loaded: who did it.' }),
  reason: z.string().optional().meta({ description: 'How that is known.' }),
  link: z
    .strictObject({
      url: z.string().optional().meta({ description: 'Absent where the data of the email is no longer kept.' }),
      label: z.string().meta({ description: 'Its words, without what comes from the data of the email.' }),
      index: z.int().meta({ description: 'From 1, in the order of the email; 0 where only its address is known.' }),
      block: z.string().meta({ description: 'The block that contains it: "action", "picture"; empty for none.' }),
    })
    .optional(),
};

const FactView = z
  .strictObject({
    kind: z.enum(FACT_KINDS),
    source: z.enum(['attempt', 'return', 'service']),
    at: z.iso.datetime(),
    cause: CauseName.optional(),
    status: z.string().optional(),
    replyCode: z.int().optional(),
    diagnostic: z.string().optional(),
    returnId: z.string().optional(),
    ...HitFields,
  })
  .meta({ id: 'Fact' });

export const DeliveryView = z
  .strictObject({
    id: z.string(),
    address: z.string(),
    intended: z.string().optional().meta({ description: 'The recipient that the app named, if the rules of the space redirected it.' }),
    state: State,
    cause: CauseName.optional(),
    sentence: z.string().meta({ description: 'The outcome in one sentence.' }),
    advice: z.string().optional().meta({ description: 'What to do about it.' }),
    nextAttemptAt: z.iso.datetime().optional(),
    waitsFor: z
      .string()
      .optional()
      .meta({ description: 'What it waits for, where that is not its time: "north-relay is in trouble: Connection refused."' }),
    mayHaveBeenSent: z.boolean().optional().meta({
      description: 'True when the answer to an attempt was lost after all of it may have left: the recipient may have the email.',
    }),
    attempts: z.array(AttemptView),
    facts: z.array(FactView),
  })
  .meta({ id: 'Delivery' });

export const MessageView = z
  .strictObject({
    ...messageFields,
    sensitive: z
      .enum(['kept', 'removed'])
      .optional()
      .meta({ description: 'Some of its data are sensitive, and masked here; kept: an email still waits for them.' }),
    data: z.unknown(),
    deliveries: z.array(DeliveryView),
  })
  .meta({ id: 'Message' });

export const MessageData = z.strictObject({ subject: z.string(), data: z.unknown() }).meta({ id: 'MessageData' });

export const MessageList = z
  .strictObject({
    messages: z.array(MessageSummary),
    nextCursor: z.string().optional().meta({ description: 'Give it as cursor to get the next page.' }),
    partial: z
      .boolean()
      .optional()
      .meta({ description: 'True when the look ended before the page was full: older messages may fit too; go on with nextCursor.' }),
  })
  .meta({ id: 'MessageList' });

export const MailView = z
  .strictObject({
    subject: z.string(),
    masked: z.boolean().optional().meta({ description: 'Whether its sensitive data are replaced by other values.' }),
    headers: z.array(z.strictObject({ name: z.string(), value: z.string() })),
    html: z.string(),
    text: z.string(),
    size: z.int().meta({ description: 'Bytes of the whole mail.' }),
  })
  .meta({ id: 'Mail' });

export const SensitiveQuery = z.strictObject({
  sensitive: z
    .enum(['yes'])
    .optional()
    .meta({ description: 'yes: with its sensitive data, while they are kept. It takes the scope `read-sensitive`.' }),
});

export const ListQuery = z.strictObject({
  limit: Limit,
  cursor: IdCursor,
  state: State.optional(),
  address: z.string().max(320).optional(),
  template: z.string().max(100).optional(),
  reference: z.string().max(200).optional(),
  from: Time.optional().meta({ description: 'Created at this time or later.' }),
  to: Time.optional().meta({ description: 'Created before this time.' }),
});

export const FrameQuery = z.strictObject({
  remote: z.enum(['yes', 'no']).default('no').meta({ description: 'Whether pictures from other hosts are loaded.' }),
});

/** A message as an app asks for it; its shape is checked, its meaning is not yet. */
export type MessageRequest = z.output<typeof NewMessage>;
export type MailboxRequest = z.output<typeof Recipient>;

export const NewBatch = z
  .strictObject({
    template: z.string().min(1).max(100).optional().meta({ description: 'For all entries that name none.' }),
    mode: z.enum(['all', 'each']).default('each').meta({ description: 'all: none is taken unless all can be.' }),
    messages: z.array(z.record(z.string(), z.unknown())).min(1).max(1000).meta({ description: 'Each as for POST /v1/messages.' }),
  })
  .meta({ id: 'NewBatch' });
export const BatchView = z
  .strictObject({
    accepted: z.int(),
    refused: z.int(),
    results: z.array(
      z.strictObject({
        index: z.int(),
        id: z.string().optional(),
        problems: z.array(RequestFault).optional(),
      }),
    ),
  })
  .meta({ id: 'Batch' });
export const Rescheduling = z
  .strictObject({ notBefore: z.string().max(40), timeZone: z.string().max(60).optional() })
  .meta({ id: 'Rescheduling' });
export const ChangeView = z
  .strictObject({
    changed: z.array(z.string()).meta({ description: 'Deliveries that were changed.' }),
    late: z.array(z.string()).meta({ description: 'Deliveries for which it came too late.' }),
  })
  .meta({ id: 'Change' });
