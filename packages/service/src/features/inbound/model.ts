import * as z from 'zod';
import { IdCursor, Limit } from '../../kernel/index.js';
import { NewMessage } from '../messages/index.js';

const Person = z.strictObject({ name: z.string(), address: z.string() });

const summary = {
  id: z.string(),
  inbox: z.string().meta({ description: 'As the configuration calls it; "reply" for an answer to a message.' }),
  state: z
    .enum(['arrived', 'read', 'unread'])
    .meta({ description: 'arrived: it is being read. unread: it could not be read, and waits in quarantine.' }),
  receivedAt: z.iso.datetime(),
  from: Person,
  to: z.array(z.string()).meta({ description: 'Addresses of ours that it came to.' }),
  subject: z.string(),
  start: z.string().meta({ description: 'How its text begins, on one line.' }),
  messageId: z.string().optional().meta({ description: 'Our message that it answers.' }),
  deliveryId: z.string().optional(),
  attachments: z.int(),
  size: z.int().meta({ description: 'Bytes of the whole email.' }),
  suspicious: z.int().meta({ description: 'How many things are odd about it.' }),
};
const InboundSummary = z.strictObject(summary).meta({ id: 'InboundSummary' });
export const InboundList = z
  .strictObject({ inbound: z.array(InboundSummary), nextCursor: z.string().optional() })
  .meta({ id: 'InboundList' });

/** What our own verifiers find. */
const AuthenticationView = z
  .strictObject({
    spf: z.strictObject({
      result: z.enum(['pass', 'fail', 'softfail', 'neutral', 'none', 'temperror', 'permerror']),
      domain: z.string(),
      reason: z.string(),
    }),
    dkim: z.array(
      z.strictObject({
        result: z.enum(['pass', 'fail', 'permerror', 'temperror']),
        domain: z.string().optional(),
        selector: z.string().optional(),
        reason: z.string(),
      }),
    ),
    dmarc: z.strictObject({
      result: z.enum(['pass', 'fail', 'none', 'temperror', 'permerror']),
      policy: z.string().optional(),
      reason: z.string(),
    }),
  })
  .meta({ id: 'Authentication', description: 'What our own verifiers find (RFC 7208, RFC 6376, RFC 7489).' });

const SuspicionView = z
  .strictObject({ code: z.string(), text: z.string().meta({ description: 'In a sentence.' }) })
  .meta({ id: 'Suspicion' });

const InboundFileView = z
  .strictObject({
    part: z.int(),
    name: z.string(),
    type: z.string(),
    size: z.int(),
    hash: z.string().meta({ description: 'SHA-256 of its bytes, in hex.' }),
    inline: z.boolean().meta({ description: 'Whether the HTML shows it.' }),
    path: z.string().meta({ description: 'Where it is fetched, with a key.' }),
  })
  .meta({ id: 'InboundFile' });

export const InboundView = z
  .strictObject({
    ...summary,
    cc: z.array(z.string()),
    headerId: z.string().optional().meta({ description: 'Its Message-ID, without angle brackets.' }),
    inReplyTo: z.string().optional(),
    sentAt: z.iso.datetime().optional().meta({ description: 'As its Date field says.' }),
    text: z.string().meta({ description: 'What is new in it.' }),
    quoted: z.string().meta({ description: 'What it answers or passes on.' }),
    signature: z.string(),
    html: z.string().optional().meta({ description: 'What is new in it: without anything that runs or loads.' }),
    files: z.array(InboundFileView),
    language: z.string().optional(),
    remotePictures: z.int().meta({ description: 'Pictures of other servers, which nothing loads.' }),
    authentication: AuthenticationView.optional(),
    suspicions: z.array(SuspicionView),
    noAnswer: z.string().optional().meta({ description: 'Why no automatic answer may be given (RFC 3834).' }),
    hasBytes: z.boolean().meta({ description: 'Whether its bytes and its files are still kept.' }),
    thread: z
      .array(
        z.strictObject({
          kind: z.enum(['message', 'inbound']),
          id: z.string(),
          at: z.iso.datetime(),
          from: z.string(),
          subject: z.string(),
        }),
      )
      .meta({ description: 'What was written before and after it, with itself: our messages and what people wrote, the oldest first.' }),
    answers: z.array(z.strictObject({ messageId: z.string(), at: z.iso.datetime(), automatic: z.boolean() })),
  })
  .meta({ id: 'Inbound' });

export const InboundQuery = z.strictObject({
  limit: Limit,
  cursor: IdCursor,
  inbox: z.string().max(60).optional(),
  from: z.string().max(320).optional().meta({ description: 'The address of its author.' }),
  message: z.string().max(60).optional().meta({ description: 'Only answers to this message.' }),
});
export const InboundUpload = z.strictObject({
  to: z.string().min(3).max(400).meta({ description: 'The address of ours that it is for.' }),
  from: z.string().max(400).default('').meta({ description: 'The return path of its envelope.' }),
});
export const InboundStored = z
  .strictObject({ id: z.string(), repeated: z.boolean().meta({ description: 'It had come before.' }) })
  .meta({ id: 'InboundStored' });

const { subject, html, text, template, data, topic, from, cc, bcc, attachments, locale, reference, labels } = NewMessage.shape;
export const NewAnswer = z
  .strictObject({
    text,
    html,
    template,
    data,
    subject: subject.meta({ description: 'Left out: "Re: " and its subject.' }),
    topic,
    from,
    cc,
    bcc,
    attachments,
    locale,
    reference: reference.meta({ description: 'Left out: that of the message that it answers.' }),
    labels,
    quote: z.boolean().default(false).meta({ description: 'Whether what it answers is quoted below the text.' }),
    automatic: z
      .boolean()
      .default(false)
      .meta({ description: 'A program answers: refused for programs, lists and null paths, and beyond a few a day (RFC 3834).' }),
  })
  .meta({ id: 'NewAnswer' });
export type NewAnswer = z.output<typeof NewAnswer>;
