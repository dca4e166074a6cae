import { z } from 'zod';

export const QueueView = z
  .strictObject({
    waiting: z.int(),
    due: z.int(),
    oldest: z.iso.datetime().optional(),
    topics: z.array(
      z.strictObject({
        priority: z.enum(['essential', 'optional']),
        topic: z.string().optional(),
        state: z.string(),
        waiting: z.int(),
        due: z.int(),
        oldest: z.iso.datetime(),
      }),
    ),
    lastHour: z.array(z.strictObject({ provider: z.string(), outcome: z.string(), attempts: z.int() })),
  })
  .meta({ id: 'Queue' });
