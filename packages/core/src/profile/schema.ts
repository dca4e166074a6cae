import * as z from 'zod';
import { readSpf } from '../authentication/index.js';
import { Callbacks } from './schema-callbacks.js';
import { ProfileAnswer } from './schema-answer.js';
import { Authorisation, ProfileRequest } from './schema-request.js';

/** A mechanism of an SPF record (RFC 7208 5). */
const SpfTerm = z.string().refine(
  (term) => {
    const record = readSpf(`v=spf1 ${term}`);
    return !/[\s=]/.test(term) && !('fault' in record) && record.mechanisms.length === 1 && record.mechanisms[0]?.kind !== 'all';
  },
  { message: 'is not an SPF mechanism such as "include:spf.provider.example" or "ip4:192.0.2.0/24"' },
);

/** What the DNS of a sender's domain must say for a provider, by what a provider of this kind usually does. */
export const dnsFacts = (signs: 'us' | 'provider', envelopeFrom: 'kept' | 'replaced') =>
  z.strictObject({
    signs: z.enum(['us', 'provider']).default(signs).meta({ description: 'Who signs (DKIM) what arrives.' }),
    envelopeFrom: z
      .enum(['kept', 'replaced'])
      .default(envelopeFrom)
      .meta({ description: 'Whether our return path reaches the recipient’s server.' }),
    spf: z.array(SpfTerm).default([]).meta({ description: 'SPF mechanisms that allow its servers: "include:spf.provider.example".' }),
    records: z
      .array(z.strictObject({ type: z.enum(['TXT', 'CNAME', 'MX']), name: z.string().min(1), value: z.string().min(1) }))
      .default([])
      .meta({
        description: 'Records that the provider wants in the DNS of a sender’s domain; names are within the domain, "@" is the domain.',
      }),
  });

/** What other parts need to know about a provider. */
const ProfileFacts = dnsFacts('provider', 'replaced')
  .extend({ mostBytes: z.int().positive().optional().meta({ description: 'The largest email that it takes.' }) })
  .prefault({});

/** A call that shows whether the provider knows us, without an email. */
const ProfileCheck = z.strictObject({
  method: z.enum(['GET', 'POST', 'HEAD']).default('GET'),
  url: z.string().min(1),
  ok: z.string().optional().meta({ description: 'A condition over status and the values of `answer`; 2xx without it.' }),
});

/** What a profile holds beside its name and limits: how an HTTP mail API is spoken to, as data, so that a new one needs no code. */
export const PROFILE_SHAPE = {
  request: ProfileRequest,
  authorisation: Authorisation.optional(),
  answer: ProfileAnswer,
  check: ProfileCheck.optional(),
  callbacks: Callbacks.optional(),
  facts: ProfileFacts,
  secrets: z
    .record(z.string(), z.string())
    .default({})
    .meta({ description: 'Values that templates reach as {{ secrets.NAME }}; best from the environment or files.' }),
};
export type Profile = z.infer<z.ZodObject<typeof PROFILE_SHAPE>>;
