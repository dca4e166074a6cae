import * as z from 'zod';
import { IdCursor, Limit } from '../../kernel/index.js';

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
    restoredAsOf: z.iso
      .datetime()
      .optional()
      .meta({ description: 'Where a copy of this date was restored: it holds what waited in the copy, and nothing that comes.' }),
    createdAt: z.iso.datetime(),
    held: z.int().meta({ description: 'Deliveries that it keeps from being sent.' }),
  })
  .meta({ id: 'Hold' });
export const HoldList = z.strictObject({ holds: z.array(HoldView) }).meta({ id: 'HoldList' });

export const Release = z
  .strictObject({
    ...EmailFilterFields,
    id: z.string().max(40).optional().meta({ description: 'One hold. With a filter, that part of a hold of a restored copy.' }),
  })
  .refine((given) => given.id !== undefined || namesSomething[0](given), {
    message: 'needs the id of a hold, a filter, or "all": true.',
  })
  .meta({ id: 'Release' });
export const HeldQuery = z.strictObject({
  hold: z.string().max(40).optional().meta({ description: 'Only what this hold keeps.' }),
  cursor: IdCursor,
  limit: Limit,
});
export const HeldList = z
  .strictObject({
    deliveries: z.array(
      z.strictObject({
        id: z.string(),
        messageId: z.string(),
        address: z.string(),
        template: z.string(),
        subject: z.string(),
        hold: z.string(),
        createdAt: z.iso.datetime(),
        dueAt: z.iso.datetime().optional(),
        why: z.string().meta({ description: 'Why it is held; after a restore, whether it may have been sent.' }),
      }),
    ),
    nextCursor: z.string().optional(),
  })
  .meta({ id: 'HeldDeliveries' });

export const ReleaseView = z
  .strictObject({ released: z.array(z.string()).meta({ description: 'Ids of the holds that are over.' }), deliveries: z.int() })
  .meta({ id: 'Released' });
