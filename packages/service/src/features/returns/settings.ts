import { z } from 'zod';
import { Host, Port } from '../../kernel/index.js';
import { ListenerSettings } from '../smtp/index.js';

export const ReturnSettings = z
  .strictObject({
    host: Host.default('127.0.0.1'),
    port: Port.default(8625),
    domain: z.string().default('returns.localhost').meta({ description: 'The domain of return paths; its mail must reach the listener.' }),
    maxBytes: z
      .int()
      .min(10_000)
      .default(20 * 1024 * 1024),
    ...ListenerSettings({ perAddress: 50, perMinute: 600 }),
  })
  .prefault({});
export type ReturnSettings = z.infer<typeof ReturnSettings>;
