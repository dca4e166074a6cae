import * as z from 'zod';

/** Backups: the whole database, copied now and then. */
export const BackupSettings = z
  .strictObject({
    folder: z.string().min(1).optional().meta({ description: 'Where they are made. None are made without it.' }),
    everyHours: z.number().positive().max(8760).default(24),
    keep: z.int().min(1).default(7).meta({ description: 'How many are kept; the oldest is removed when a new one is whole.' }),
  })
  .prefault({});
export type BackupSettings = z.infer<typeof BackupSettings>;
