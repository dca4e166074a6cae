import * as z from 'zod';

/** When addresses get no more mail. */
export const SuppressionSettings = z
  .strictObject({
    after: z
      .int()
      .min(2)
      .max(100)
      .default(3)
      .meta({ description: 'Failures that may pass, of different emails and without a success between.' }),
    days: z.number().min(0).max(60).default(2).meta({ description: 'How many days they must be spread over.' }),
    localParts: z.enum(['exact', 'any-case']).default('exact').meta({ description: 'How local parts are compared.' }),
  })
  .prefault({});
export type SuppressionSettings = z.infer<typeof SuppressionSettings>;
