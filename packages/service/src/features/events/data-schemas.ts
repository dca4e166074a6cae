import { CONSENT_WAYS } from '@verbalis/core/consent';
import { CAUSES, FACT_KINDS } from '@verbalis/core/delivery';
import type { EventSchemaName } from '@verbalis/core/events';
import * as z from 'zod';
import { HitFields } from '../messages/index.js';

// What is in the data of events: JSON Schema is made from these.

const DeliveryData = z
  .object({
    space: z.string(),
    kind: z.enum(FACT_KINDS).meta({ description: 'What has become known.' }),
    messageId: z.string().meta({ description: 'One message; all its recipients have it in common.' }),
    deliveryId: z.string().meta({ description: 'One message for one recipient.' }),
    address: z.string(),
    domain: z.string(),
    source: z
      .enum(['attempt', 'return', 'service'])
      .meta({ description: 'Our own attempt, something that came back, or a decision of the service.' }),
    cause: z.enum(CAUSES).optional().meta({ description: 'Why, where something went wrong.' }),
    status: z.string().optional().meta({ description: 'Enhanced status code (RFC 3463).' }),
    replyCode: z.int().optional().meta({ description: 'Reply code (RFC 5321).' }),
    diagnostic: z.string().optional().meta({ description: 'The reply of the other side, unchanged.' }),
    ...HitFields,
    provider: z.string().optional(),
    template: z.string().optional(),
    topic: z.string().optional(),
    locale: z.string().optional(),
    edition: z.int().optional(),
    subject: z.string().optional(),
    reference: z.string().optional().meta({ description: 'The app’s own word for the message.' }),
    labels: z.record(z.string(), z.string()).meta({ description: 'The app’s own labels.' }),
  })
  .meta({ title: 'verbalis.delivery.*', description: 'A fact about a delivery.' });

const AlertData = z
  .object({
    space: z.string(),
    alertId: z.string().meta({ description: 'The same when it fires and when it is resolved.' }),
    rule: z.string(),
    by: z.string().optional(),
    group: z.string().optional(),
    value: z.number().meta({ description: 'Per cent, a number of events, or seconds, as the rule says.' }),
    events: z.int(),
    handovers: z.int(),
    minutes: z.int(),
    since: z.iso.datetime(),
    text: z.string().meta({ description: 'The same in a sentence.' }),
  })
  .meta({ title: 'verbalis.alert.*', description: 'A rule begins to hold, or holds no more.' });

const ProviderData = z
  .object({
    space: z.string(),
    provider: z.string(),
    scope: z.enum(['provider', 'sender']).meta({ description: 'The whole provider, or what it accepts from one sender’s domain.' }),
    domain: z.string().optional().meta({ description: 'The sender’s domain.' }),
    why: z.string().optional().meta({ description: 'What went wrong.' }),
    since: z.iso.datetime(),
    text: z.string().meta({ description: 'The same in a sentence.' }),
  })
  .meta({ title: 'verbalis.provider.*', description: 'A provider of the space is in trouble, or works again.' });

const DomainData = z
  .object({
    space: z.string(),
    domain: z.string(),
    state: z.enum(['open', 'right', 'unknown']).meta({ description: 'Of all its records together.' }),
    records: z
      .array(z.object({ type: z.string(), name: z.string(), state: z.enum(['right', 'wrong', 'missing', 'unknown']) }))
      .meta({ description: 'Those that have changed.' }),
    text: z.string().meta({ description: 'The same in sentences.' }),
  })
  .meta({ title: 'verbalis.domain.*', description: 'A record of a sending domain is right now, or no longer.' });

const SourceData = z
  .object({
    space: z.string(),
    domain: z.string(),
    reporter: z.string().meta({ description: 'Who reports it, as it calls itself.' }),
    proven: z.boolean().meta({ description: 'False if its email does not pass DMARC: the name may be forged.' }),
    sources: z.array(z.object({ source: z.string(), count: z.int() })).meta({ description: 'Addresses that were never reported before.' }),
    text: z.string().meta({ description: 'The same in a sentence.' }),
  })
  .meta({ title: 'verbalis.source.unaligned', description: 'A new source sends as a domain without authentication.' });

const TopicData = z
  .object({
    space: z.string(),
    address: z.string(),
    topic: z.string(),
    how: z.enum(CONSENT_WAYS).meta({
      description: 'By the one click of a mail reader, a page, an email, an opt-out report, a provider, or through the API.',
    }),
    source: z.string().optional().meta({ description: 'What the app or the operator says of it.' }),
    messageId: z.string().optional().meta({ description: 'The message whose link or field was used, where one was.' }),
    deliveryId: z.string().optional(),
    template: z.string().optional(),
    reference: z.string().optional().meta({ description: 'The app’s own word for the message.' }),
    happenedAt: z.iso.datetime(),
    text: z.string().meta({ description: 'The same in a sentence.' }),
  })
  .meta({ title: 'verbalis.topic.*', description: 'A recipient has left a topic, or joined it again.' });

const SenderData = z
  .object({
    space: z.string(),
    address: z.string(),
    name: z.string().optional().meta({ description: 'The display name that was chosen for it.' }),
    text: z.string().meta({ description: 'The same in a sentence.' }),
  })
  .meta({ title: 'verbalis.sender.confirmed', description: 'The owner of an address has agreed that the space sends as it.' });

const BulkSendData = z
  .object({
    space: z.string(),
    bulkSend: z.string(),
    name: z.string(),
    template: z.string(),
    state: z.enum(['done', 'canceled', 'failed']).meta({ description: 'done: all its recipients were read. failed: they cannot be read.' }),
    read: z.int(),
    accepted: z.int(),
    refused: z.int(),
    schedule: z.string().optional().meta({ description: 'The schedule whose run it is.' }),
    plannedAt: z.iso.datetime().optional(),
    text: z.string().meta({ description: 'The same in a sentence.' }),
  })
  .meta({ title: 'verbalis.bulk-send.ended', description: 'A bulk send has read all its recipients, was canceled, or has failed.' });

const ScheduleData = z
  .object({
    space: z.string(),
    schedule: z.string(),
    plannedAt: z.iso.datetime(),
    text: z.string().meta({ description: 'The same in a sentence, with the reason.' }),
  })
  .meta({ title: 'verbalis.schedule.failed', description: 'A run of a schedule could not begin.' });

const SignalData = z
  .object({
    space: z.string(),
    signal: z.string().meta({ description: 'Its id: the reason is at GET /v1/signals/{id}, since it may hold data of the signal.' }),
    type: z.string().meta({ description: 'What the app reported.' }),
    rule: z.string(),
    text: z.string().meta({ description: 'The same in a sentence.' }),
  })
  .meta({ title: 'verbalis.signal.refused', description: 'A rule could not turn a signal into an email.' });

const InboundData = z
  .object({
    space: z.string(),
    inboundId: z.string(),
    inbox: z.string().meta({ description: 'As the configuration calls it; "reply" for an answer to a message.' }),
    receivedAt: z.iso.datetime(),
    sentAt: z.iso.datetime().optional().meta({ description: 'As its Date field says.' }),
    address: z.string().meta({ description: 'Its author.' }),
    name: z.string(),
    to: z.array(z.string()).meta({ description: 'Addresses of ours that it came to.' }),
    cc: z.array(z.string()),
    subject: z.string(),
    headerId: z.string().optional().meta({ description: 'Its Message-ID, without angle brackets.' }),
    inReplyTo: z.string().optional(),
    messageId: z.string().optional().meta({ description: 'Our message that it answers.' }),
    deliveryId: z.string().optional(),
    template: z.string().optional(),
    topic: z.string().optional(),
    reference: z.string().optional().meta({ description: 'The app’s own word for that message.' }),
    labels: z.record(z.string(), z.string()).optional(),
    text: z.string().meta({ description: 'What is new in it.' }),
    quoted: z.string().meta({ description: 'What it answers or passes on.' }),
    signature: z.string(),
    html: z.string().optional().meta({ description: 'What is new in it: without anything that runs or loads.' }),
    attachments: z.array(
      z.object({
        part: z.int(),
        name: z.string(),
        type: z.string(),
        size: z.int(),
        hash: z.string().meta({ description: 'SHA-256 of its bytes, in hex.' }),
        inline: z.boolean(),
        path: z.string().meta({ description: 'Where it is fetched, with a key.' }),
      }),
    ),
    size: z.int(),
    language: z.string().optional().meta({ description: 'BCP 47.' }),
    remotePictures: z.int(),
    authentication: z
      .object({
        spf: z.object({ result: z.string(), domain: z.string(), reason: z.string() }),
        dkim: z.array(z.object({ result: z.string(), domain: z.string().optional(), selector: z.string().optional(), reason: z.string() })),
        dmarc: z.object({ result: z.string(), policy: z.string().optional(), reason: z.string() }),
      })
      .optional()
      .meta({ description: 'What our own verifiers find.' }),
    suspicious: z.array(z.object({ code: z.string(), text: z.string() })).meta({ description: 'What is odd about it.' }),
    noAnswer: z.string().optional().meta({ description: 'Why no automatic answer may be given (RFC 3834).' }),
    isLeft: z.boolean().meta({ description: 'Whether it contained only "unsubscribe", and its author has left the topic.' }),
  })
  .meta({ title: 'verbalis.inbound.received', description: 'An answer to a message, or an email to an inbound address, was received.' });

const AuditData = z
  .object({
    space: z.string(),
    entry: z.int().meta({ description: 'Its number in the audit log.' }),
    who: z.object({
      kind: z.enum(['person', 'key', 'operator', 'preview', 'nobody']).meta({ description: 'operator: with the operator’s secret.' }),
      id: z.string().optional(),
      name: z.string(),
    }),
    action: z.string().meta({ description: 'The name of the endpoint: "keys.revoke".' }),
    target: z.string().optional().meta({ description: 'What it was done to.' }),
    change: z.unknown().optional().meta({ description: 'What was asked for, without secrets and without what emails say.' }),
    address: z.string().meta({ description: 'The IP address that the request came from.' }),
  })
  .meta({ title: 'verbalis.audit.recorded', description: 'A person or a key changed something in the space.' });

const TestData = z
  .object({ space: z.string(), subscription: z.string(), text: z.string() })
  .meta({ title: 'verbalis.test', description: 'A test was requested; nothing happened.' });

/** JSON Schema 2020-12 of the data of each kind of event. */
export const EVENT_SCHEMAS: Readonly<Record<EventSchemaName, unknown>> = {
  delivery: z.toJSONSchema(DeliveryData),
  provider: z.toJSONSchema(ProviderData),
  alert: z.toJSONSchema(AlertData),
  domain: z.toJSONSchema(DomainData),
  source: z.toJSONSchema(SourceData),
  sender: z.toJSONSchema(SenderData),
  'bulk-send': z.toJSONSchema(BulkSendData),
  schedule: z.toJSONSchema(ScheduleData),
  signal: z.toJSONSchema(SignalData),
  inbound: z.toJSONSchema(InboundData),
  topic: z.toJSONSchema(TopicData),
  audit: z.toJSONSchema(AuditData),
  test: z.toJSONSchema(TestData),
};
