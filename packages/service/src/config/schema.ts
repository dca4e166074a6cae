import { CAUSES } from '@verbalis/core/delivery';
import { z } from 'zod';
import { HttpProfile } from '../profile/index.js';
import { hasOneLimit, RuleFields } from './alert-rule.js';

const Port = z.int().min(0).max(65_535);
const Host = z.string().min(1);
const Name = z.string().regex(/^[a-z0-9][a-z0-9-]{0,39}$/, 'must be small letters, digits and "-"');

const RetryRule = z.strictObject({
  firstSeconds: z.number().positive(),
  growth: z.number().min(1).max(10),
  mostSeconds: z.number().positive(),
});

const Seconds = z.number().positive().max(3600);

/** How much a provider may be asked to take. */
const Limits = z
  .strictObject({
    perSecond: z.number().positive().optional(),
    perDomainSecond: z.number().positive().optional(),
    warmUp: z
      .strictObject({
        first: z.int().min(1),
        growth: z.number().min(1).max(10).default(1.5),
        most: z.int().min(1),
        since: z.iso.date(),
      })
      .optional(),
  })
  .prefault({});

const Route = z.union([
  Name.transform((provider) => ({ provider, share: undefined })),
  z.strictObject({ provider: Name, share: z.number().min(0).max(1000) }),
]);

const SmtpProvider = z.strictObject({
  kind: z.literal('smtp'),
  host: Host,
  port: Port,
  limits: Limits,
  user: z.string().min(1).optional(),
  password: z.string().optional(),
  /** An access token in place of a password (OAUTHBEARER, XOAUTH2). */
  token: z.string().optional(),
  /** Lets a password travel over a connection that is not secure. */
  openLogin: z.boolean().default(false),
  tls: z
    .strictObject({
      mode: z.enum(['none', 'starttls', 'opportunistic', 'implicit']).default('opportunistic'),
      /** Certificates in PEM that are trusted in place of the system's. */
      caFile: z.string().optional(),
      fingerprint: z
        .string()
        .regex(/^(?:[0-9A-Fa-f]{2}:?){31}[0-9A-Fa-f]{2}$/, 'must be the SHA-256 of a certificate in hex')
        .optional(),
      verify: z.boolean().default(true),
      /** The name in the certificate, where it is not the host. */
      name: z.string().optional(),
    })
    .prefault({}),
  connections: z.int().min(1).max(200).default(5),
  mailsPerConnection: z.int().min(1).max(10_000).default(100),
  idleSeconds: Seconds.default(30),
  waits: z
    .strictObject({
      connectSeconds: Seconds.default(30),
      replySeconds: Seconds.default(300),
      contentSeconds: Seconds.default(180),
      verdictSeconds: Seconds.default(600),
    })
    .prefault({}),
});

const FileProvider = z
  .strictObject({ kind: z.literal('file'), folder: z.string().optional(), mbox: z.string().optional() })
  .refine((one) => (one.folder === undefined) !== (one.mbox === undefined), 'needs either folder or mbox');
const LogProvider = z.strictObject({ kind: z.literal('log') });
const CaptureProvider = z.strictObject({ kind: z.literal('capture') });

/** Every setting of the service. Ports stand here and nowhere else. */
export const Settings = z.strictObject({
  listen: z.strictObject({ host: Host.default('127.0.0.1'), port: Port.default(8620) }).prefault({}),
  /** The address under which people reach the console; links that the service makes start with it. */
  publicUrl: z
    .string()
    .regex(/^https?:\/\/[^\s/]+$/, 'must be http(s)://host[:port]')
    .optional(),
  databaseFile: z.string().default('verbalis.sqlite'),
  /** Where keys that the service makes for itself are kept (mode 0600). */
  secretsFile: z.string().default('verbalis.secrets.json'),
  helloName: z.string().default('localhost'),
  returns: z
    .strictObject({
      host: Host.default('127.0.0.1'),
      port: Port.default(8625),
      /** The domain of return paths; its mail must reach the listener. */
      domain: z.string().default('returns.localhost'),
      maxBytes: z
        .int()
        .min(10_000)
        .default(20 * 1024 * 1024),
      /** Certificate and key in PEM: STARTTLS is offered then. */
      tls: z.strictObject({ certFile: z.string(), keyFile: z.string() }).optional(),
      /** How often one address may connect in a minute. */
      connectionsPerMinute: z.int().min(1).default(600),
    })
    .prefault({}),
  /** When addresses get no more mail. */
  suppress: z
    .strictObject({
      /** Failures that may pass, of different mails and without a success between. */
      after: z.int().min(2).max(100).default(3),
      /** How many days they must be spread over. */
      days: z.number().min(0).max(60).default(2),
      /** How local parts are compared. */
      localParts: z.enum(['exact', 'any-case']).default('exact'),
    })
    .prefault({}),
  /** Where apps hand whole mails in by SMTP, with a key as password. Off unless a port is set. */
  submission: z
    .strictObject({
      host: Host.default('127.0.0.1'),
      port: Port.optional(),
      /** A capturing space that takes mail with any user and password, or none: an app needs no more than host and port. */
      openTo: Name.optional(),
    })
    .prefault({}),
  /** How many captured mails a space keeps, and for how long. */
  captured: z.strictObject({ most: z.int().min(1).default(10_000), days: z.number().positive().default(14) }).prefault({}),
  /** Rules over what happens in the last minutes; when one holds, that is an event. */
  alerts: z
    .record(
      Name,
      z
        .strictObject({
          ...RuleFields,
          /** Spaces that it holds for; all that deliver, when none is named. */
          spaces: z.array(Name).optional(),
        })
        .refine(...hasOneLimit),
    )
    .default({}),
  /** How long things are kept, in days. */
  keep: z.strictObject({ mailDays: z.number().positive().default(30), messageDays: z.number().positive().default(400) }).prefault({}),
  limits: z
    .strictObject({
      bodyBytes: z
        .int()
        .min(1000)
        .default(36 * 1024 * 1024),
      /** All attachments of a message together. */
      attachmentBytes: z
        .int()
        .min(0)
        .default(25 * 1024 * 1024),
      recipients: z.int().min(1).max(1000).default(50),
    })
    .prefault({}),
  dispatch: z
    .strictObject({
      concurrency: z.int().min(1).max(500).default(40),
      leaseSeconds: z.int().min(5).default(120),
      attempts: z.int().min(1).max(1000).optional(),
      retry: RetryRule.optional(),
      retryByCause: z.partialRecord(z.enum(CAUSES), RetryRule).default({}),
    })
    .prefault({}),
  log: z.strictObject({ level: z.enum(['fatal', 'error', 'warn', 'info', 'debug']).default('info') }).prefault({}),
  /** Where the service may go for addresses that apps and callers give (attachments, webhooks). */
  outside: z.strictObject({ allow: z.array(z.string()).default([]), waitSeconds: Seconds.default(20) }).prefault({}),
  providers: z
    .record(Name, z.discriminatedUnion('kind', [SmtpProvider, HttpProfile, FileProvider, LogProvider, CaptureProvider]))
    .default({}),
  spaces: z
    .record(
      Name,
      z.strictObject({
        mode: z.enum(['deliver', 'capture']),
        /** Published at every start; left out: what `verbalis publish` brings. */
        mailFolder: z.string().optional(),
        /** Providers in order: a name, or {provider, share} to divide the traffic. */
        route: z.array(Route).default([]),
        /** Put before or after every subject: "[test]". */
        mark: z.strictObject({ text: z.string().min(1).max(40), place: z.enum(['before', 'after']).default('before') }).optional(),
        /** Who may get mail: addresses, domains, patterns with "*". Left out: everybody. */
        recipients: z
          .strictObject({
            allowed: z.array(z.string()).min(1),
            /** Where mail for everybody else goes; left out: it is captured. */
            redirectTo: z.string().optional(),
          })
          .optional(),
        sender: z.string().optional(),
        replyTo: z.string().optional(),
        /** Domains that a message may name another sender of. */
        senderDomains: z.array(z.string()).default([]),
        /** Gets a copy of every mail. */
        archive: z.string().optional(),
        /** Whom to tell what needs a person. */
        operator: z.string().optional(),
      }),
    )
    .default({}),
});
export type Settings = z.infer<typeof Settings>;
export type ProviderSettings = Settings['providers'][string];
