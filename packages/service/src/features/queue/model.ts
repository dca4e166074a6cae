import * as z from 'zod';
import { Limit } from '../../kernel/index.js';
import { EmailFilterFields, namesSomething } from '../holds/index.js';

export const QueueView = z
  .strictObject({
    waiting: z.int(),
    due: z.int(),
    held: z.int().meta({ description: 'Kept from being sent by a hold.' }),
    oldest: z.iso.datetime().optional(),
    topics: z.array(
      z.strictObject({
        priority: z.enum(['essential', 'optional']),
        topic: z.string().optional(),
        state: z.string(),
        waiting: z.int(),
        due: z.int(),
        held: z.int(),
        oldest: z.iso.datetime(),
      }),
    ),
    lastHour: z
      .array(z.strictObject({ provider: z.string(), outcome: z.string(), attempts: z.int() }))
      .optional()
      .meta({ description: 'Of all spaces; for the operator only.' }),
  })
  .meta({ id: 'Queue' });

export const PlanQuery = z.strictObject({
  limit: Limit,
  cursor: z
    .string()
    .regex(/^[0-9a-z]{1,10}\.d[0-9a-z]{1,40}$/, 'must be the nextCursor of a page')
    .optional()
    .meta({ description: 'The nextCursor of the page before.' }),
});
export const PlanList = z
  .strictObject({
    deliveries: z.array(
      z.strictObject({
        id: z.string(),
        messageId: z.string(),
        address: z.string(),
        notBefore: z.iso.datetime(),
        held: z.boolean().meta({ description: 'Whether a hold keeps it even then.' }),
        template: z.string(),
        subject: z.string(),
        reference: z.string().optional(),
      }),
    ),
    nextCursor: z.string().optional(),
  })
  .meta({ id: 'PlanList' });

export const Cancellation = z
  .strictObject({
    ...EmailFilterFields,
    hold: z.string().max(40).optional().meta({ description: 'Only what this hold keeps.' }),
    check: z.boolean().optional().meta({ description: 'Only count.' }),
  })
  .refine(...namesSomething)
  .meta({ id: 'Cancellation' });
export const CanceledView = z
  .strictObject({
    deliveries: z.int(),
    more: z.boolean().meta({ description: 'Whether some are left: the same call again cancels them.' }),
  })
  .meta({ id: 'Canceled' });
