import * as z from 'zod';
import { Time } from '../../kernel/index.js';

const Sums = z
  .strictObject({
    people: z.int().meta({ description: 'Hits by people.' }),
    unique: z
      .int()
      .meta({ description: 'Emails or links that people came to for the first time; only of topics with the mode "individual".' }),
    machines: z.int(),
    unknown: z.int(),
  })
  .meta({ id: 'EngagementSums' });
const Both = { links: Sums, images: Sums };

export const EngagementQuery = z.strictObject({
  from: Time.optional(),
  to: Time.optional(),
  template: z.string().max(100).optional(),
  topic: z.string().max(100).optional(),
});
export const Engagement = z
  .strictObject({
    from: z.iso.datetime(),
    to: z.iso.datetime(),
    total: z.strictObject(Both),
    before: z.strictObject(Both).meta({ description: 'The same for as long a time before.' }),
    templates: z.array(z.strictObject({ template: z.string(), topic: z.string(), ...Both })),
    links: z.array(
      z.strictObject({
        template: z.string(),
        index: z.int().meta({ description: 'From 1, in the order of the email.' }),
        label: z.string().meta({ description: 'The words of the link.' }),
        ...Sums.shape,
      }),
    ),
    hours: z
      .array(z.strictObject({ hour: z.int(), ...Both }))
      .meta({ description: 'By whole hours after an email was sent; the last one includes all later ones.' }),
  })
  .meta({ id: 'Engagement' });
