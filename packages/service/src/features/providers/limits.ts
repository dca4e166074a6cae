import * as z from 'zod';

/** How much a provider may be given. */
export const Limits = z
  .strictObject({
    perSecond: z.number().positive().optional(),
    perDomainSecond: z.number().positive().optional(),
    perDay: z
      .int()
      .positive()
      .optional()
      .meta({ description: "Quotas of the provider's: emails a day and a month (UTC). What is over goes to the next of the route." }),
    perMonth: z.int().positive().optional(),
    warmUp: z
      .strictObject({
        first: z.int().min(1),
        growth: z.number().min(1).max(10).default(1.5),
        most: z.int().min(1),
        since: z.iso.date(),
        by: z
          .enum(['provider', 'space', 'sender'])
          .default('provider')
          .meta({ description: 'What has its own limit: the provider, each space, each sending domain.' }),
      })
      .optional(),
  })
  .prefault({});
