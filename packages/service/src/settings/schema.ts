import * as z from 'zod';
import { AlertSettings } from '../features/alerts/index.js';
import { BackupSettings } from '../features/backups/index.js';
import { CaptureSettings } from '../features/capture/index.js';
import { ClusterSettings } from '../features/cluster/index.js';
import { CopySettings } from '../features/copies/index.js';
import { LinkSettings } from '../features/engagement/index.js';
import { NameServerSettings } from '../features/name-servers/index.js';
import { InboundSettings } from '../features/inbound/index.js';
import { PeopleSettings } from '../features/people/index.js';
import { ProvidersSettings } from '../features/providers/index.js';
import { QueueSettings } from '../features/queue/index.js';
import { ReturnSettings } from '../features/returns/index.js';
import { SpaceSettings } from '../features/spaces/index.js';
import { SubmissionSettings } from '../features/submission/index.js';
import { SuppressionSettings } from '../features/suppressions/index.js';
import { Host, MetricsSettings, Network, Port, Seconds } from '../kernel/index.js';

export const Settings = z.strictObject({
  listen: z
    .strictObject({
      host: Host.default('127.0.0.1'),
      port: Port.default(8620),
      hosts: z
        .array(z.string().regex(/^[A-Za-z0-9.-]+$/, 'must be a host name'))
        .optional()
        .meta({
          description:
            'Names that the service answers to, beside that of publicUrl and the link hosts of domains; any other name gets 404. Left out: the API and the console answer to every name.',
        }),
      trustProxy: z
        .array(Network)
        .default([])
        .meta({ description: 'Proxies whose X-Forwarded-For, X-Forwarded-Proto and X-Forwarded-Host are believed.' }),
    })
    .prefault({}),
  links: LinkSettings.meta({ description: 'Where readers of email follow links, if not at `listen`.' }),
  metrics: MetricsSettings,
  publicUrl: z
    .string()
    .regex(/^https?:\/\/[^\s/]+$/, 'must be http(s)://host[:port]')
    .optional()
    .meta({ description: 'The address under which people reach the console; links that the service makes start with it.' }),
  databaseFile: z.string().default('verbalis.sqlite'),
  secretsFile: z
    .string()
    .default('verbalis.secrets.json')
    .meta({ description: 'Where keys that the service makes for itself are kept (mode 0600).' }),
  dayKeysFolder: z.string().optional().meta({
    description:
      'The folder of the keys of sensitive data, one for each day. By default day-keys next to the database. Backups and copies do not include them.',
  }),
  helloName: z.string().default('localhost'),
  dns: NameServerSettings.meta({ description: 'How the records of sending domains are looked up.' }),
  returns: ReturnSettings,
  inbound: InboundSettings.meta({ description: 'Addresses at which people reach your apps, beside answers to messages.' }),
  suppress: SuppressionSettings.meta({ description: 'When addresses are suppressed.' }),
  submission: SubmissionSettings.meta({
    description: 'Where apps hand whole emails in by SMTP, with a key as password. Off unless a port is set.',
  }),
  captured: CaptureSettings.meta({ description: 'How many captured emails a space keeps, and for how long.' }),
  alerts: AlertSettings.meta({ description: 'Rules over what happens in the last minutes; when one holds, that is an event.' }),
  keep: z
    .strictObject({
      mailDays: z.number().positive().default(30),
      messageDays: z.number().positive().default(400),
      auditDays: z.number().positive().default(400).meta({ description: 'Entries of the audit log.' }),
    })
    .prefault({})
    .meta({ description: 'How long things are kept, in days.' }),
  backup: BackupSettings.meta({ description: 'Backups that the service makes automatically.' }),
  copies: CopySettings.meta({ description: 'Continuous copies: every change, within a second, in another folder.' }),
  cluster: ClusterSettings.meta({ description: 'Several services that can take over from each other. Off unless servers are set.' }),
  limits: z
    .strictObject({
      bodyBytes: z
        .int()
        .min(1000)
        .default(36 * 1024 * 1024),
      attachmentBytes: z
        .int()
        .min(0)
        .default(25 * 1024 * 1024)
        .meta({ description: 'All attachments of a message together.' }),
      recipients: z.int().min(1).max(1000).default(50),
      streams: z
        .strictObject({ perKey: z.int().min(1).default(20), all: z.int().min(1).default(500) })
        .prefault({})
        .meta({
          description: 'Concurrent streams of server-sent events: of one key, and of all keys together (and as many of operators).',
        }),
    })
    .prefault({}),
  dispatch: QueueSettings,
  log: z.strictObject({ level: z.enum(['fatal', 'error', 'warn', 'info', 'debug']).default('info') }).prefault({}),
  outside: z
    .strictObject({ allow: z.array(z.string()).default([]), waitSeconds: Seconds.default(20) })
    .prefault({})
    .meta({ description: 'Where the service may go for addresses that apps and callers give (attachments, webhooks).' }),
  people: PeopleSettings.meta({ description: 'How people sign in.' }),
  providers: ProvidersSettings,
  spaces: SpaceSettings,
});
export type Settings = z.infer<typeof Settings>;
