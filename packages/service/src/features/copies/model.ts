import * as z from 'zod';

const SnapshotView = z
  .strictObject({
    file: z.string(),
    asOf: z.iso.datetime().meta({ description: 'It has everything that was committed before this date.' }),
    bytes: z.int(),
    sequence: z.int().meta({ description: 'The last change that is in it.' }),
  })
  .meta({ id: 'Snapshot' });

export const CopiesView = z
  .strictObject({
    folder: z.string().optional().meta({ description: 'Absent where nothing is copied.' }),
    state: z.enum(['off', 'first-snapshot', 'copying', 'behind']).meta({
      description: 'Before the first snapshot is finished, nothing can be restored from the folder.',
    }),
    behind: z.int().meta({ description: 'Groups of changes that the folder lacks.' }),
    lagSeconds: z.number().meta({ description: 'Age of the oldest of them.' }),
    problem: z.string().optional(),
    onSameDisk: z.boolean().meta({ description: 'Whether the folder would be lost with the database.' }),
    snapshotUnderWay: z.boolean(),
    snapshots: z.array(SnapshotView).meta({ description: 'Oldest first.' }),
  })
  .meta({ id: 'Copies' });

export const SnapshotBegun = z
  .strictObject({ begun: z.boolean().meta({ description: 'False where one is under way already.' }) })
  .meta({ id: 'SnapshotBegun' });
export const CopiesBegun = z.strictObject({ folder: z.string() }).meta({ id: 'CopiesBegun' });
