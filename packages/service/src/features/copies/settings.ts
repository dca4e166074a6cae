import * as z from 'zod';

/** Continuous copies: every change, within a second, in another folder. */
export const CopySettings = z
  .strictObject({
    folder: z.string().min(1).optional().meta({ description: 'On another disk, or a mounted share. Nothing is copied without it.' }),
    snapshotHours: z.number().positive().max(8760).default(24).meta({ description: 'How often the whole database is copied again.' }),
    keepDays: z.number().positive().default(7).meta({ description: 'How far back it can be restored.' }),
    behindMiB: z
      .int()
      .min(1)
      .default(1024)
      .meta({ description: 'Changes that wait in the database while the folder cannot be written. Above that they are given up.' }),
    alertSeconds: z.number().positive().default(30).meta({ description: 'An alert fires when the copies are so far behind.' }),
  })
  .prefault({});
export type CopySettings = z.infer<typeof CopySettings>;
