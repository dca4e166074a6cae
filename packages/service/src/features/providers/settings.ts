import { dnsFacts } from '@verbalis/core/profile';
import * as z from 'zod';
import { Host, Name, Port, Seconds } from '../../kernel/index.js';
import { Limits } from './limits.js';
import { HttpProfile } from './profile.js';

const SmtpProvider = z.strictObject({
  kind: z.literal('smtp'),
  host: Host,
  port: Port,
  limits: Limits,
  user: z.string().min(1).optional(),
  password: z.string().optional(),
  passwordFile: z.string().min(1).optional().meta({ description: 'A file with the password; read at the start and at each reload.' }),
  token: z.string().optional().meta({ description: 'An access token in place of a password (OAUTHBEARER, XOAUTH2).' }),
  tokenFile: z.string().min(1).optional(),
  openLogin: z.boolean().default(false).meta({ description: 'Lets a password travel over a connection that is not secure.' }),
  tls: z
    .strictObject({
      mode: z.enum(['none', 'starttls', 'opportunistic', 'implicit']).default('opportunistic'),
      caFile: z.string().optional().meta({ description: "Certificates in PEM that are trusted in place of the system's." }),
      fingerprint: z
        .string()
        .regex(/^(?:[0-9A-Fa-f]{2}:?){31}[0-9A-Fa-f]{2}$/, 'must be the SHA-256 of a certificate in hex')
        .optional(),
      verify: z.boolean().default(true),
      name: z.string().optional().meta({ description: 'The name in the certificate, where it is not the host.' }),
    })
    .prefault({}),
  facts: dnsFacts('us', 'kept').prefault({}).meta({ description: 'What the DNS of a sender’s domain must say for it.' }),
  connections: z.int().min(1).max(200).default(5),
  emailsPerConnection: z.int().min(1).max(10_000).default(100),
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
  .refine(({ folder, mbox }) => (folder === undefined) !== (mbox === undefined), 'needs either folder or mbox');

const LogProvider = z.strictObject({ kind: z.literal('log') });

const CaptureProvider = z.strictObject({ kind: z.literal('capture') });

export const ProvidersSettings = z
  .record(Name, z.discriminatedUnion('kind', [SmtpProvider, HttpProfile, FileProvider, LogProvider, CaptureProvider]))
  .default({});
export type ProvidersSettings = z.infer<typeof ProvidersSettings>;
export type ProviderSettings = ProvidersSettings[string];
