import { readShape, type Shape } from '@verbalis/core/shape';
import { z } from 'zod';

export const MEANINGS = ['accepted', 'refused', 'deferred', 'trouble'] as const;
export type Meaning = (typeof MEANINGS)[number];

const Template: z.ZodType = z.unknown();
const Statuses = z.record(z.string().regex(/^[1-5](?:\d\d|xx)$/, 'must be a status like "429" or "5xx"'), z.enum(MEANINGS));

/** How an HTTP mail API is spoken to: data, so that a new one needs no code. */
export const HttpProfile = z.strictObject({
  kind: z.literal('http'),
  request: z
    .strictObject({
      method: z.enum(['POST', 'PUT']).default('POST'),
      /** May hold {{ }}. */
      url: z.string().min(1),
      headers: z.record(z.string(), z.string()).default({}),
      /** The body as JSON: a template (see docs/providers.md). */
      json: Template.optional(),
      /** The body as multipart/form-data: a list of {name, value} or {name, file: {name, type, content | base64}}. */
      form: Template.optional(),
      /** The body as plain text: "{{ message.raw }}". */
      raw: z.string().optional(),
    })
    .refine(
      (one) => [one.json, one.form, one.raw].filter((body) => body !== undefined).length === 1,
      'needs exactly one of json, form, raw',
    ),
  answer: z
    .strictObject({
      /** JSONPath of the provider's id for the mail, or "header:NAME". */
      id: z.string().optional(),
      /** JSONPath of what it says when it refuses. */
      reason: z.string().optional(),
      /** JSONPath of an enhanced status code (RFC 3463), where it gives one. */
      status: z.string().optional(),
      /** What a status means, where it differs from the usual. */
      statuses: Statuses.default({}),
      /** What a refusal means by what its reason holds. */
      words: z.array(z.strictObject({ has: z.string().min(1), means: z.enum(MEANINGS) })).default([]),
    })
    .prefault({}),
  /** How much it may be asked to take. */
  limits: z.strictObject({ perSecond: z.number().positive().optional(), perDomainSecond: z.number().positive().optional() }).prefault({}),
  /** Values that templates reach as {{ secrets.NAME }}; best from the environment. */
  secrets: z.record(z.string(), z.string()).default({}),
  /** Requests at once. */
  connections: z.int().min(1).max(200).default(5),
  waitSeconds: z.number().positive().max(600).default(30),
});
export type HttpProfile = z.infer<typeof HttpProfile>;

export interface ReadProfile {
  readonly url: Shape;
  readonly headers: Shape;
  readonly body: Shape;
  /** What is wrong with its templates, in sentences. */
  readonly faults: readonly string[];
}

/** Reads the templates of a profile. */
export function readProfile(name: string, profile: HttpProfile): ReadProfile {
  const faults: string[] = [];
  const read = (template: unknown, what: string): Shape => {
    const { shape, problems } = readShape(template, `providers.${name}.${what}`);
    faults.push(...problems.map((one) => `${what}: ${one.message}${one.hint === undefined ? '' : ` ${one.hint}`}`));
    return shape;
  };
  const { request } = profile;
  return {
    url: read(request.url, 'request.url'),
    headers: read(request.headers, 'request.headers'),
    body: read(request.json ?? request.form ?? request.raw, 'request'),
    faults,
  };
}

/** What a status means: what the profile says of it, of its class, then the usual. */
export function meaningOfStatus(status: number, statuses: Readonly<Record<string, Meaning>>): Meaning {
  const told = statuses[String(status)] ?? statuses[`${Math.floor(status / 100)}xx`];
  if (told !== undefined) return told;
  if (status >= 200 && status < 300) return 'accepted';
  if (status === 429) return 'deferred';
  // The key is wrong, the address is, or the server is ill: nothing that the mail could help.
  if (status < 400 || status >= 500 || [401, 403, 404, 405, 407, 408].includes(status)) return 'trouble';
  return 'refused';
}
