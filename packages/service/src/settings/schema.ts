import { z } from 'zod';
import { AlertSettings } from '../features/alerts/index.js';
import { CaptureSettings } from '../features/capture/index.js';
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
      /** Proxies whose X-Forwarded-For, X-Forwarded-Proto and X-Forwarded-Host are believed. */
      trustProxy: z.array(Network).default([]),
    })
    .prefault({}),
  metrics: MetricsSettings,
  /** The address under which people reach the console; links that the service makes start with it. */
  publicUrl: z
    .string()
    .regex(/^https?:\/\/[^\s/]+$/, 'must be http(s)://host[:port]')
    .optional(),
  databaseFile: z.string().default('verbalis.sqlite'),
  /** Where keys that the service makes for itself are kept (mode 0600). */
  secretsFile: z.string().default('verbalis.secrets.json'),
  helloName: z.string().default('localhost'),
  returns: ReturnSettings,
  /** When addresses get no more mail. */
  suppress: SuppressionSettings,
  /** Where apps hand whole emails in by SMTP, with a key as password. Off unless a port is set. */
  submission: SubmissionSettings,
  /** How many captured emails a space keeps, and for how long. */
  captured: CaptureSettings,
  /** Rules over what happens in the last minutes; when one holds, that is an event. */
  alerts: AlertSettings,
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
      /** Streams of server-sent events at once: of one key, and of all keys together (and as many of operators). */
      streams: z.strictObject({ perKey: z.int().min(1).default(20), all: z.int().min(1).default(500) }).prefault({}),
    })
    .prefault({}),
  dispatch: QueueSettings,
  log: z.strictObject({ level: z.enum(['fatal', 'error', 'warn', 'info', 'debug']).default('info') }).prefault({}),
  /** Where the service may go for addresses that apps and callers give (attachments, webhooks). */
  outside: z.strictObject({ allow: z.array(z.string()).default([]), waitSeconds: Seconds.default(20) }).prefault({}),
  providers: ProvidersSettings,
  spaces: SpaceSettings,
});
export type Settings = z.infer<typeof Settings>;
