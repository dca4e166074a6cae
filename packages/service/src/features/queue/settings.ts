import { z } from 'zod';
import { CAUSES } from '@verbalis/core/delivery';

const RetryRule = z.strictObject({
  firstSeconds: z.number().positive(),
  growth: z.number().min(1).max(10),
  mostSeconds: z.number().positive(),
});

export const QueueSettings = z
  .strictObject({
    concurrency: z.int().min(1).max(500).default(40),
    leaseSeconds: z.int().min(5).default(120),
    attempts: z.int().min(1).max(1000).optional(),
    retry: RetryRule.optional(),
    retryByCause: z.partialRecord(z.enum(CAUSES), RetryRule).default({}),
  })
  .prefault({});
export type QueueSettings = z.infer<typeof QueueSettings>;
