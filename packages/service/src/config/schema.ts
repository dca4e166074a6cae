import { CAUSES } from '@verbalis/core/delivery';
import { z } from 'zod';

const Port = z.int().min(0).max(65_535);
const Host = z.string().min(1);
const Name = z.string().regex(/^[a-z0-9][a-z0-9-]{0,39}$/, 'must be small letters, digits and "-"');

const RetryRule = z.strictObject({
  firstSeconds: z.number().positive(),
  growth: z.number().min(1).max(10),
  mostSeconds: z.number().positive(),
});

const SmtpProvider = z.strictObject({
  kind: z.literal('smtp'),
  host: Host,
  port: Port,
  connections: z.int().min(1).max(200).default(5),
});

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
    })
    .prefault({}),
  limits: z
    .strictObject({
      bodyBytes: z
        .int()
        .min(1000)
        .default(1024 * 1024),
      recipients: z.int().min(1).max(1000).default(50),
    })
    .prefault({}),
  dispatch: z
    .strictObject({
      concurrency: z.int().min(1).max(500).default(10),
      leaseSeconds: z.int().min(5).default(120),
      attempts: z.int().min(1).max(1000).optional(),
      retry: RetryRule.optional(),
      retryByCause: z.partialRecord(z.enum(CAUSES), RetryRule).default({}),
    })
    .prefault({}),
  log: z.strictObject({ level: z.enum(['fatal', 'error', 'warn', 'info', 'debug']).default('info') }).prefault({}),
  providers: z.record(Name, SmtpProvider).default({}),
  spaces: z
    .record(
      Name,
      z.strictObject({
        mode: z.enum(['deliver', 'capture']),
        mailFolder: z.string(),
        route: z.array(Name).default([]),
        sender: z.string().optional(),
      }),
    )
    .default({}),
});
export type Settings = z.infer<typeof Settings>;
