import * as z from 'zod';
import { CAUSES } from '../delivery/index.js';

/** What an answer can mean for the email. */
const ANSWER_MEANINGS = ['accepted', 'refused', 'deferred', 'rejected', 'trouble', 'uncertain'] as const;
export type AnswerMeaning = (typeof ANSWER_MEANINGS)[number];

const Source = z.string().min(1).max(500);
const Meaning = z.enum(ANSWER_MEANINGS);
const Statuses = z.record(z.string().regex(/^[1-5](?:\d\d|xx)$/, 'must be a status like "429" or "5xx"'), Meaning);

/** What words of an answer mean. The cause decides whether the address gets no more emails. */
const AnswerWord = z
  .strictObject({
    has: z
      .string()
      .min(1)
      .optional()
      .meta({ description: 'Held by the reason, or by the whole answer where it has none; case does not count.' }),
    matches: z.string().min(1).optional().meta({ description: 'The same as a pattern (RE2).' }),
    means: Meaning,
    cause: z.enum(CAUSES).optional(),
  })
  .refine(({ has, matches }) => (has === undefined) !== (matches === undefined), 'needs either has or matches');

/** How answers are read. */
export const ProfileAnswer = z
  .strictObject({
    format: z
      .enum(['auto', 'json', 'xml', 'text'])
      .default('auto')
      .meta({ description: 'auto: by Content-Type, else JSON where it is JSON. XML is read as `xml` of the request writes it.' }),
    entry: z
      .strictObject({ at: Source, address: Source })
      .optional()
      .meta({ description: 'Where the answer lists results by address: paths start at the entry of the recipient.' }),
    id: Source.optional().meta({ description: 'What the provider calls the email: "$…", "header:NAME" or "pattern:…".' }),
    reason: Source.optional().meta({ description: 'What it says when it refuses.' }),
    status: Source.optional().meta({ description: 'An enhanced status code (RFC 3463), where it gives one.' }),
    values: z
      .record(z.string().regex(/^[a-z][A-Za-z0-9]*$/, 'must be a name like "state"'), Source)
      .default({})
      .meta({ description: 'Names for conditions.' }),
    accepted: z
      .string()
      .optional()
      .meta({ description: 'A condition over status, reason and values that an answer of 2xx must meet to mean accepted.' }),
    outcomes: z
      .array(z.strictObject({ when: z.string().min(1), means: Meaning, cause: z.enum(CAUSES).optional() }))
      .default([])
      .meta({ description: 'What answers mean by conditions; the first that holds decides.' }),
    statuses: Statuses.default({}).meta({ description: 'What a status means, where it differs from the default.' }),
    notAccepted: z
      .array(z.int().min(500).max(599))
      .default([])
      .meta({ description: 'Statuses after which this provider has certainly not accepted the email, though it read the request.' }),
    words: z.array(AnswerWord).default([]).meta({ description: 'What a refusal means by its words; the first that fits decides.' }),
    retryAfter: Source.optional().meta({ description: 'How long to wait, in seconds or as a date; "header:Retry-After" without it.' }),
  })
  .prefault({});
export type ProfileAnswer = z.infer<typeof ProfileAnswer>;
