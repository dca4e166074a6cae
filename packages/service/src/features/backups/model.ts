import * as z from 'zod';

export const BackupView = z
  .strictObject({
    file: z.string(),
    asOf: z.iso.datetime().meta({ description: 'It has everything that was committed before this date.' }),
    bytes: z.int(),
    sha256: z.string(),
  })
  .meta({ id: 'Backup' });

export const BackupList = z
  .strictObject({
    folder: z.string().optional().meta({ description: 'Absent where none are made.' }),
    everyHours: z.number(),
    keep: z.int(),
    problem: z.string().optional().meta({ description: 'Why the last one could not be made.' }),
    backups: z.array(BackupView).meta({ description: 'Oldest first.' }),
  })
  .meta({ id: 'Backups' });
