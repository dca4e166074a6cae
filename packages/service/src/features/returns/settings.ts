import { z } from 'zod';
import { Host, Port } from '../../kernel/index.js';
import { ListenerSettings } from '../smtp/index.js';

export const ReturnSettings = z
  .strictObject({
    host: Host.default('127.0.0.1'),
    port: Port.default(8625),
    name: z.string().optional().meta({
      description: 'The host name under which other mail servers reach the listener: MX records lead to it. Left out: helloName.',
    }),
    domain: z
      .string()
      .default('returns.localhost')
      .meta({ description: 'The domain of return paths where a sender’s domain has none of its own; its mail must reach the listener.' }),
    maxBytes: z
      .int()
      .min(10_000)
      .default(20 * 1024 * 1024),
    ...ListenerSettings({ perAddress: 50, perMinute: 600 }),
  })
  .prefault({});
export type ReturnSettings = z.infer<typeof ReturnSettings>;
