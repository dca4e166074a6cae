import { readPayloadTemplate, type PayloadTemplate } from '@verbalis/core/payload';
import { z } from 'zod';
import { Limits } from './limits.js';

const MEANINGS = ['accepted', 'refused', 'deferred', 'rejected', 'trouble', 'uncertain'] as const;
export type Meaning = (typeof MEANINGS)[number];

const Template: z.ZodType = z.unknown();
const Statuses = z.record(z.string().regex(/^[1-5](?:\d\d|xx)$/, 'must be a status like "429" or "5xx"'), z.enum(MEANINGS));

/** What an event of a provider's can mean. `ignored`: it is kept, and nothing follows. */
const EVENT_MEANINGS = ['accepted', 'relayed', 'delivered', 'delayed', 'failed', 'complained', 'topic-left', 'ignored'] as const;
export type EventMeaning = (typeof EVENT_MEANINGS)[number];

const Signed = {
  /** The header field with the signature. */
  header: z.string().min(1),
  encoding: z.enum(['hex', 'base64']).optional(),
  /** What stands before the signature: "sha256=". */
  prefix: z.string().default(''),
  /** Where the field is a list like "t=1700000000,v1=…": which of its names is the time, and which the signature. */
  parts: z.strictObject({ timestamp: z.string(), signature: z.string() }).optional(),
  /** The header field with the time, in seconds since the epoch or as a date. */
  timestampHeader: z.string().optional(),
  /** What is signed: may hold {{ timestamp }} and {{ body }}, and {{ header.NAME }}. */
  signed: z.string().default('{{ body }}'),
  /** How old a call may be. */
  toleranceSeconds: z.number().positive().max(86_400).default(300),
};

/** How a provider shows that it is the one who calls. */
export const CallbackSignature = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('hmac-sha256'), secret: z.string().min(1), ...Signed }),
  /** The key as 32 bytes in base64, or in PEM. */
  z.strictObject({ kind: z.literal('ed25519'), publicKey: z.string().min(1), ...Signed }),
  z.strictObject({ kind: z.literal('secret'), header: z.string().min(1), value: z.string().min(8) }),
  z.strictObject({ kind: z.literal('basic'), user: z.string().min(1), password: z.string().min(8) }),
]);
export type CallbackSignature = z.infer<typeof CallbackSignature>;

const PATH = /^\$(?:\.\.?(?:[\p{L}_][\p{L}\p{N}_-]*|\*)|\[(?:\d+|\*|'[^'\]]+')\])*$/u;

/** RFC 9535, but for slices, unions and filters. */
const Path = z
  .string()
  .max(500)
  .regex(/^\$/, 'must be a JSONPath, beginning with "$"')
  .refine((path) => PATH.test(path), 'may hold names, numbers and "*" only, as $.news[*].letter or $[\'a name\'][0]')
  // With several of them, what is looked at grows with a power of what there is.
  .refine((path) => path.split('..').length <= 2, 'may hold ".." once only');

/** What a provider calls about, and how it is read. */
export const Callbacks = z.strictObject({
  signature: CallbackSignature,
  /** JSONPath of the events in the body; "$" is the body itself, or each of its entries. */
  events: Path.default('$'),
  /** JSONPaths within an event. Several for the type are put together with a space: "bounce hard". */
  fields: z.strictObject({
    type: z.union([Path, z.array(Path).min(1).max(4)]),
    /** Of the event: the same one twice is one event. */
    id: Path.optional(),
    /** The provider's own id of the mail, as its answer gave it. */
    mail: Path.optional(),
    /** Our id of the delivery, where the request passed it on. */
    delivery: Path.optional(),
    messageId: Path.optional(),
    address: Path.optional(),
    /** When it happened: a date, or seconds or milliseconds since the epoch. */
    at: Path.optional(),
    status: Path.optional(),
    code: Path.optional(),
    reason: Path.optional(),
  }),
  /** Their words for types, and ours. */
  words: z.record(z.string(), z.enum(EVENT_MEANINGS)),
});
export type Callbacks = z.infer<typeof Callbacks>;

/** How an HTTP mail API is spoken to: data, so that a new one needs no code. */
export const HttpProfile = z.strictObject({
  kind: z.literal('http'),
  request: z
    .strictObject({
      method: z.enum(['POST', 'PUT']).default('POST'),
      /** May hold {{ }}. */
      url: z.string().min(1),
      headers: z.record(z.string(), z.string()).default({}),
      /** A header field in which it knows a request that is repeated (by the id of the delivery), and for how long it does. */
      idempotency: z.strictObject({ header: z.string().regex(/^[A-Za-z0-9-]+$/), hours: z.number().positive().default(24) }).optional(),
      /** The body as JSON: a template (see docs/providers.md). */
      json: Template.optional(),
      /** The body as multipart/form-data: a list of {name, value} or {name, file: {name, type, content | base64}}. */
      form: Template.optional(),
      /** The body as plain text: "{{ message.raw }}". */
      raw: z.string().optional(),
    })
    .refine(
      ({ json, form, raw }) => [json, form, raw].filter((body) => body !== undefined).length === 1,
      'needs exactly one of json, form, raw',
    ),
  answer: z
    .strictObject({
      /** JSONPath of the provider's id for the mail, or "header:NAME". */
      id: z.union([z.string().regex(/^header:[A-Za-z0-9-]+$/), Path]).optional(),
      /** JSONPath of what it says when it refuses. */
      reason: Path.optional(),
      /** JSONPath of an enhanced status code (RFC 3463), where it gives one. */
      status: Path.optional(),
      /** What a status means, where it differs from the usual. */
      statuses: Statuses.default({}),
      /** Statuses of 500 and above after which this provider has certainly not accepted the email, though it read the request. */
      notAccepted: z.array(z.int().min(500).max(599)).default([]),
      /** What a refusal means by what its reason holds. */
      words: z.array(z.strictObject({ has: z.string().min(1), means: z.enum(MEANINGS) })).default([]),
    })
    .prefault({}),
  /** What it calls about. */
  callbacks: Callbacks.optional(),
  /** How much it may be asked to take. */
  limits: Limits,
  /** Values that templates reach as {{ secrets.NAME }}; best from the environment. */
  secrets: z.record(z.string(), z.string()).default({}),
  /** Requests at once. */
  connections: z.int().min(1).max(200).default(5),
  waitSeconds: z.number().positive().max(600).default(30),
});
export type HttpProfile = z.infer<typeof HttpProfile>;

export interface ReadProfile {
  readonly url: PayloadTemplate;
  readonly headers: PayloadTemplate;
  readonly body: PayloadTemplate;
  /** What is wrong with its templates, in sentences. */
  readonly faults: readonly string[];
}

/** What templates of a profile reach of a message. */
const MESSAGE_NAMES = (
  'id deliveryId from recipient to cc replyTo returnPath subject text html headers inReplyTo references calendar unsubscribeUrl attachments pictures template topic reference labels size ' +
  'raw rawBase64'
).split(' ');

/** Reads the templates of a profile. */
export function readProfile(name: string, profile: HttpProfile): ReadProfile {
  const faults: string[] = [];
  const read = (template: unknown, what: string): PayloadTemplate => {
    const { payload, problems } = readPayloadTemplate(template, `providers.${name}.${what}`, {
      secrets: undefined,
      message: MESSAGE_NAMES,
    });
    faults.push(...problems.map((problem) => `${what}: ${problem.message}${problem.hint === undefined ? '' : ` ${problem.hint}`}`));
    return payload;
  };
  const { request } = profile;
  return {
    url: read(request.url, 'request.url'),
    headers: read(request.headers, 'request.headers'),
    body: read(request.json ?? request.form ?? request.raw, 'request'),
    faults,
  };
}

/** What a profile says of a status, or of its class; undefined where it says nothing. */
export function meaningOfStatus(status: number, statuses: Readonly<Record<string, Meaning>>): Meaning | undefined {
  return statuses[String(status)] ?? statuses[`${Math.floor(status / 100)}xx`];
}
