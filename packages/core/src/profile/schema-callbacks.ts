import * as z from 'zod';
import { CAUSES } from '../delivery/index.js';
import { ComputeStep, Hash } from './composition.js';

const Source = z.string().min(1).max(500);

/** What an event of a provider's can mean. `ignored`: it is kept, and nothing follows. */
const EVENT_MEANINGS = [
  'accepted',
  'relayed',
  'delivered',
  'delayed',
  'failed',
  'complained',
  'withheld',
  'image-loaded',
  'link-followed',
  'topic-left',
  'inbound',
  'ignored',
] as const;
export type EventMeaning = (typeof EVENT_MEANINGS)[number];

const Signed = {
  signature: Source.meta({ description: 'Where the signature stands: "header:NAME", "query:NAME" or "$…" in the call.' }),
  encoding: z.enum(['hex', 'base64', 'base64url']).optional(),
  prefix: z.string().default('').meta({ description: 'What stands before the signature: "sha256=".' }),
  parts: z
    .strictObject({ timestamp: z.string().optional(), signature: z.string(), keyId: z.string().optional() })
    .optional()
    .meta({ description: 'Where it is a list like "t=1700000000,v1=…": the names within.' }),
  timestamp: Source.optional().meta({ description: 'Where the time stands: seconds, milliseconds, ISO 8601 or RFC 5322.' }),
  keyId: Source.optional().meta({ description: 'Where the id of the key stands, where there are several.' }),
  values: z
    .record(z.string().regex(/^[a-z][A-Za-z0-9]*$/, 'must be a name like "token"'), Source)
    .default({})
    .meta({ description: 'Values of the call for `steps` and `signed`.' }),
  steps: z.array(ComputeStep).max(40).default([]),
  signed: z.string().default('{{ body }}').meta({
    description:
      'What is signed: {{ body }}, {{ timestamp }}, {{ method }}, {{ url }}, {{ header.NAME }}, {{ query.NAME }}, {{ sortedFields }}, values and steps.',
  }),
  toleranceSeconds: z.number().positive().max(86_400).default(300).meta({ description: 'How old a call may be.' }),
};

const PublicKey = {
  publicKey: z.string().min(1).optional().meta({ description: 'In PEM, or in base64.' }),
  publicKeys: z.record(z.string(), z.string().min(1)).optional().meta({ description: 'Several, by their id.' }),
  publicKeyFile: z.string().min(1).optional(),
  publicKeyFrom: z
    .strictObject({
      address: Source.meta({ description: 'https://…, or where the call names it.' }),
      hosts: z.array(z.string().min(1)).min(1).meta({ description: 'Hosts that keys may come from: "keys.example", "*.keys.example".' }),
      hours: z.number().positive().max(720).default(24),
    })
    .optional()
    .meta({ description: 'A key or a certificate in PEM, or a JSON Web Key Set (RFC 7517), fetched and kept.' }),
};

/** How a provider shows that it is the one who calls. */
export const CallbackSignature = z.discriminatedUnion('kind', [
  z.strictObject({
    kind: z.literal('hmac'),
    hash: Hash.default('sha256'),
    secret: z.string().min(1).optional(),
    secrets: z
      .record(z.string(), z.string().min(1))
      .optional()
      .meta({ description: 'Several, by their id; without `keyId` any of them may have signed.' }),
    ...Signed,
  }),
  z.strictObject({ kind: z.literal('ed25519'), ...PublicKey, ...Signed }),
  z.strictObject({
    kind: z.literal('rsa'),
    hash: Hash.default('sha256'),
    padding: z.enum(['pkcs1', 'pss']).default('pkcs1'),
    ...PublicKey,
    ...Signed,
  }),
  z.strictObject({
    kind: z.literal('ecdsa'),
    hash: Hash.default('sha256'),
    form: z.enum(['der', 'plain']).default('der').meta({ description: 'plain: r and s one after the other (IEEE P1363).' }),
    ...PublicKey,
    ...Signed,
  }),
  z.strictObject({
    kind: z.literal('secret'),
    at: Source.meta({ description: '"header:NAME", "query:NAME" or "$…".' }),
    value: z.string().min(8),
  }),
  z.strictObject({ kind: z.literal('basic'), user: z.string().min(1), password: z.string().min(8) }),
]);
export type CallbackSignature = z.infer<typeof CallbackSignature>;

const Met = {
  method: z.enum(['GET', 'POST']).default('POST'),
  when: z
    .strictObject({ at: Source, is: z.string().optional() })
    .optional()
    .meta({ description: 'Which calls these are: those with this value (any, where `is` is left out).' }),
  signed: z.boolean().optional().meta({ description: 'Whether it must be signed as other calls are. Usually: POST yes, GET no.' }),
};
const Json = z.unknown().optional().meta({ description: 'The answer as JSON, with {{ token }} and {{ proof }}; plain text without it.' });

/** A call by which a provider makes sure that the address is ours. */
export const Handshake = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('echo'), ...Met, token: Source, json: Json }).meta({ description: 'A token is given back.' }),
  z
    .strictObject({
      kind: z.literal('proof'),
      ...Met,
      token: Source,
      secret: z.string().min(1),
      hash: Hash.default('sha256'),
      encoding: z.enum(['hex', 'base64', 'base64url']).default('hex'),
      prefix: z.string().default(''),
      json: Json,
    })
    .meta({ description: 'A token is answered by its HMAC.' }),
  z
    .strictObject({ kind: z.literal('confirm'), ...Met, address: Source, hosts: z.array(z.string().min(1)).min(1) })
    .meta({ description: 'An address is fetched.' }),
]);
export type Handshake = z.infer<typeof Handshake>;

/** How the content of a call is read, step by step. */
const ReadStep = z.union([
  z.enum(['json', 'lines', 'form', 'xml', 'base64', 'base64url']),
  z.strictObject({ at: Source }).meta({ description: 'Continues with the value at this place.' }),
]);

const Meaning = z.enum(EVENT_MEANINGS);
const EventWord = z.union([Meaning, z.strictObject({ means: Meaning, cause: z.enum(CAUSES).optional() })]);

/** What a provider calls about, and how it is read. */
export const Callbacks = z.strictObject({
  signature: CallbackSignature,
  handshakes: z.array(Handshake).max(8).default([]),
  read: z
    .array(ReadStep)
    .min(1)
    .max(8)
    .default(['json'])
    .meta({ description: 'From the bytes of the call to its events: [form, {at: $.payload}, base64, json]. lines: JSON, one to a line.' }),
  events: Source.default('$').meta({ description: 'JSONPath of the events; "$" is the content itself, or each of its entries.' }),
  within: Source.optional().meta({ description: 'JSONPath of events within each of these; the outer one is reached as "outer:$…".' }),
  fields: z.strictObject({
    type: z.union([Source, z.array(Source).min(1).max(4)]).meta({ description: 'Several are put together with a space: "bounce hard".' }),
    id: Source.optional().meta({ description: 'Of the event: the same one twice is one event.' }),
    mail: Source.optional().meta({ description: 'The provider’s own id of the email, as its answer gave it.' }),
    delivery: Source.optional().meta({ description: 'Our id of the delivery, where the request passed it on.' }),
    messageId: Source.optional(),
    address: Source.optional(),
    at: Source.optional().meta({ description: 'When it happened: a date, or seconds or milliseconds since the epoch.' }),
    status: Source.optional(),
    code: Source.optional(),
    reason: Source.optional(),
    url: Source.optional().meta({ description: 'The link that was followed.' }),
  }),
  words: z.record(z.string(), EventWord).meta({
    description: 'Their words for types, and what they mean; case is ignored. "/…/" is a pattern, "*" matches all others.',
  }),
});
export type Callbacks = z.infer<typeof Callbacks>;
