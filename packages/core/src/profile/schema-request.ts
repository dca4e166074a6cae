import * as z from 'zod';
import { ComputeStep } from './composition.js';

const HeaderName = z.string().regex(/^[A-Za-z0-9!#$%&'*+.^_`|~-]+$/, 'must be the name of a header field');

/** How a request shows whose it is. */
export const Authorisation = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('basic'), user: z.string().min(1), password: z.string() }).meta({ description: 'RFC 7617.' }),
  z.strictObject({ kind: z.literal('bearer'), token: z.string().min(1) }).meta({ description: 'RFC 6750 2.1.' }),
  z.strictObject({ kind: z.literal('header'), name: HeaderName, value: z.string().min(1) }),
  z.strictObject({ kind: z.literal('query'), name: z.string().min(1), value: z.string().min(1) }),
  z
    .strictObject({
      kind: z.literal('client-credentials'),
      tokenUrl: z.string().meta({ description: 'Where an access token is fetched.' }),
      clientId: z.string().min(1),
      clientSecret: z.string().min(1),
      scope: z.string().optional(),
      audience: z.string().optional(),
      sendsAs: z.enum(['basic', 'body']).default('basic').meta({ description: 'Where the id and the secret of the client go.' }),
    })
    .meta({ description: 'OAuth 2.0 client credentials (RFC 6749 4.4): fetched, kept, renewed before it expires, and once after a 401.' }),
  z
    .strictObject({
      kind: z.literal('signed'),
      signs: z.array(HeaderName).default([]).meta({ description: 'Header fields of {{ request.canonicalHeaders }}.' }),
      before: z
        .array(
          z.union([
            z.strictObject({ header: HeaderName, value: z.string() }),
            z.strictObject({ query: z.string().min(1), value: z.string() }),
          ]),
        )
        .default([])
        .meta({ description: 'What is added to the request before it is signed.' }),
      steps: z.array(ComputeStep).max(40).default([]).meta({ description: 'Each computes a value that later ones can use.' }),
      after: z
        .array(
          z.union([
            z.strictObject({ header: HeaderName, value: z.string() }),
            z.strictObject({ query: z.string().min(1), value: z.string() }),
          ]),
        )
        .min(1)
        .meta({ description: 'What is added when the steps are done: the signature.' }),
    })
    .meta({ description: 'A signature over the request, computed step by step.' }),
]);
export type Authorisation = z.infer<typeof Authorisation>;

const Template: z.ZodType = z.unknown();
const BODIES = ['json', 'fields', 'form', 'xml', 'raw'] as const;

/** How an email is handed over. */
export const ProfileRequest = z
  .strictObject({
    method: z.enum(['POST', 'PUT', 'PATCH']).default('POST'),
    url: z.string().min(1).meta({ description: 'May hold {{ }}.' }),
    query: z.record(z.string(), z.unknown()).default({}).meta({ description: 'Parameters, as in `fields`.' }),
    headers: z.record(HeaderName, z.string()).default({}),
    idempotency: z
      .strictObject({
        header: HeaderName.optional().meta({
          description: 'Gets the id of the delivery. Without it the body carries {{ message.deliveryId }}.',
        }),
        hours: z.number().positive().default(24),
      })
      .optional()
      .meta({ description: 'This provider knows a repeated request, for so long.' }),
    empty: z.enum(['as-it-is', 'left-out', 'sent']).default('as-it-is').meta({
      description:
        'as-it-is: what is absent is left out, what is empty is sent. left-out: both are left out. sent: what is absent is sent as null, in forms and XML as nothing.',
    }),
    lists: z
      .enum(['repeated', 'brackets', 'numbered'])
      .default('repeated')
      .meta({ description: 'Lists in fields and forms: to=a&to=b, to[]=a&to[]=b, to[0]=a&to[1]=b.' }),
    json: Template.optional().meta({ description: 'The body as JSON.' }),
    fields: Template.optional().meta({
      description: 'The body as application/x-www-form-urlencoded: names and values, or a list of {name, value}.',
    }),
    form: Template.optional().meta({
      description:
        'The body as multipart/form-data: names and values, or a list of {name, value} or {name, file: {name, type, content | base64}}.',
    }),
    xml: Template.optional().meta({
      description: 'The body as XML: one element; "@name" is an attribute, "$text" its text, a list repeats an element.',
    }),
    raw: z.string().optional().meta({ description: 'The body as text in UTF-8: "{{ message.raw }}".' }),
  })
  .refine((request) => BODIES.filter((body) => request[body] !== undefined).length === 1, `needs exactly one of ${BODIES.join(', ')}`);
export type ProfileRequest = z.infer<typeof ProfileRequest>;
