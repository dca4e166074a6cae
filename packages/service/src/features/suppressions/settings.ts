import { z } from 'zod';

/** When addresses get no more mail. */
export const SuppressionSettings = z
  .strictObject({
    /** Failures that may pass, of different emails and without a success between. */
    after: z.int().min(2).max(100).default(3),
    /** How many days they must be spread over. */
    days: z.number().min(0).max(60).default(2),
    /** How local parts are compared. */
    localParts: z.enum(['exact', 'any-case']).default('exact'),
  })
  .prefault({});
export type SuppressionSettings = z.infer<typeof SuppressionSettings>;
