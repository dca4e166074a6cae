import { domainToASCII } from 'node:url';
import * as z from 'zod';
import { Name } from '../../kernel/index.js';

const USUAL_PER_HOUR = 20;

/** A domain in either form: "bücher.example" is "xn--bcher-kva.example" (RFC 5890 2.3.2.1). */
const SenderDomain = z
  .string()
  .transform((domain) => domainToASCII(domain.trim()).toLowerCase())
  .refine((domain) => domain !== '', { message: 'is not a domain' });

const Route = z.union([
  Name.transform((provider) => ({ provider, share: undefined })),
  z.strictObject({ provider: Name, share: z.number().min(0).max(1000) }),
]);

/** A page's origin (RFC 6454). */
const Origin = z
  .string()
  .regex(/^https?:\/\/[A-Za-z0-9.-]+(?::\d{1,5})?$/, 'must be an origin such as "https://app.example", without a path')
  .transform((origin) => new URL(origin).origin);

/** How people who are signed in to an app prove it. */
const Identity = z.strictObject({
  issuer: z.string().min(1).max(500).meta({ description: 'What tokens name as "iss".' }),
  jwksUrl: z.url({ protocol: /^https?$/ }).meta({ description: 'Where the keys are that tokens are signed with (RFC 7517).' }),
  audience: z.string().min(1).max(500).meta({ description: 'What tokens name as "aud".' }),
  emailClaim: z.string().min(1).max(100).default('email'),
  verifiedClaim: z.string().min(1).max(100).default('email_verified').meta({ description: 'Must be true in a token.' }),
});
export type Identity = z.infer<typeof Identity>;

export const SpaceSettings = z
  .record(
    Name,
    z.strictObject({
      mode: z.enum(['deliver', 'capture']),
      mailFolder: z.string().optional().meta({ description: 'Published at every start; left out: what `verbalis publish` brings.' }),
      route: z.array(Route).default([]).meta({ description: 'Providers in order: a name, or {provider, share} to divide the router.' }),
      mark: z
        .strictObject({ text: z.string().min(1).max(40), place: z.enum(['before', 'after']).default('before') })
        .optional()
        .meta({ description: 'Put before or after every subject: "[test]".' }),
      recipients: z
        .strictObject({
          allowed: z.array(z.string()).min(1),
          redirectTo: z.string().optional().meta({ description: 'Where mail for everybody else goes; left out: it is captured.' }),
        })
        .optional()
        .meta({ description: 'Who may get mail: addresses, domains, patterns with "*". Left out: everybody.' }),
      sender: z.string().optional(),
      replyTo: z.string().optional(),
      senderDomains: z.array(SenderDomain).default([]).meta({ description: 'Domains that a message may name another sender of.' }),
      runaway: z
        .union([
          z.literal(false),
          z.strictObject({
            perHour: z.int().min(1).default(USUAL_PER_HOUR),
            templates: z
              .record(z.string(), z.int().min(1))
              .default({})
              .meta({ description: 'Templates that may be sent more often, or less.' }),
          }),
        ])
        .default({ perHour: USUAL_PER_HOUR, templates: {} })
        .meta({ description: 'How many emails of one template one recipient gets within an hour; more are withheld.' }),
      unsigned: z.boolean().default(false).meta({
        description: 'Whether essential email is sent unsigned until the keys of its domain are published; otherwise it is refused.',
      }),
      requireConsent: z.boolean().default(false).meta({
        description:
          'Whether it is noted who follows a link only of recipients who have agreed to it; else the mode of the topic decides alone.',
      }),
      browser: z
        .strictObject({
          origins: z.array(Origin).max(50).default([]).meta({ description: 'Pages that may ask for emails with a permit (CORS).' }),
          identity: Identity.optional().meta({ description: 'Whose tokens prove who is signed in (OpenID Connect).' }),
        })
        .prefault({})
        .meta({ description: 'Emails that a browser asks for.' }),
      archive: z.string().optional().meta({ description: 'Gets a copy of every mail.' }),
      operator: z.string().optional().meta({ description: 'The address for notifications about what needs a person.' }),
    }),
  )
  .default({});
export type SpaceSettings = z.infer<typeof SpaceSettings>;

/** The rules of one space. */
export type SpaceRules = SpaceSettings[string];

/** Of a space that is no longer configured, but whose records are still there. */
export const NO_RULES: SpaceRules = {
  mode: 'deliver',
  route: [],
  senderDomains: [],
  unsigned: false,
  requireConsent: false,
  browser: { origins: [] },
  runaway: { perHour: USUAL_PER_HOUR, templates: {} },
};
