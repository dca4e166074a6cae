import * as z from 'zod';
import { CAUSES } from '@verbalis/core/delivery';

const RetryRule = z.strictObject({
  firstSeconds: z.number().positive(),
  growth: z.number().min(1).max(10),
  mostSeconds: z.number().positive(),
});

export const QueueSettings = z
  .strictObject({
    giveUpHours: z.number().positive().default(120).meta({
      description:
        'What has been due for so long and was accepted by no provider is given up (RFC 5321 4.5.4.1: four to five days at least).',
    }),
    uncertainElsewhereHours: z.number().positive().optional().meta({
      description: 'What may have been sent goes to another provider after so many hours; left out: never. It may arrive twice then.',
    }),
    attempts: z.int().min(1).max(1000).optional(),
    retry: RetryRule.optional(),
    retryByCause: z.partialRecord(z.enum(CAUSES), RetryRule).default({}),
  })
  .prefault({});
export type QueueSettings = z.infer<typeof QueueSettings>;
