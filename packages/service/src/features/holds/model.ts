import { z } from 'zod';

const FilterFields = {
  template: z.string().min(1).max(100).optional(),
  edition: z.int().min(0).optional(),
  topic: z.string().min(1).max(100).optional(),
  domain: z.string().min(1).max(255).toLowerCase().optional().meta({ description: 'The recipient’s domain.' }),
  labels: z.record(z.string().max(100), z.string().max(500)).optional(),
};

/** Emails that are meant: those that have all that is named. */
export const EmailFilterFields = {
  ...FilterFields,
  all: z.literal(true).optional().meta({ description: 'Everything in the space; needed where nothing is named.' }),
};

type Given = { readonly [name in keyof typeof EmailFilterFields]?: unknown };

/** A filter names something, or says that it means everything. */
export const namesSomething = [
  ({ all, ...named }: Given): boolean =>
    (all === true) !== (['template', 'edition', 'topic', 'domain', 'labels'] as const).some((field) => named[field] !== undefined),
  { message: 'needs either what is meant (template, edition, topic, domain, labels) or "all": true.' },
] as const;

export const NewHold = z
  .strictObject({ ...EmailFilterFields, reason: z.string().min(1).max(500).optional().meta({ description: 'Shown with what is held.' }) })
  .refine(...namesSomething)
  .meta({ id: 'NewHold' });

export const HoldView = z
  .strictObject({
    id: z.string(),
    ...FilterFields,
    reason: z.string().optional(),
    createdAt: z.iso.datetime(),
    held: z.int().meta({ description: 'Deliveries that it keeps from being sent.' }),
  })
  .meta({ id: 'Hold' });
export const HoldList = z.strictObject({ holds: z.array(HoldView) }).meta({ id: 'HoldList' });

export const Release = z
  .strictObject({ ...EmailFilterFields, id: z.string().max(40).optional().meta({ description: 'One hold, in place of a filter.' }) })
  .refine((given) => (given.id !== undefined) !== namesSomething[0](given), {
    message: 'needs one of: the id of a hold, a filter, "all": true.',
  })
  .meta({ id: 'Release' });
export const ReleaseView = z
  .strictObject({ released: z.array(z.string()).meta({ description: 'Ids of the holds that are over.' }), deliveries: z.int() })
  .meta({ id: 'Released' });
