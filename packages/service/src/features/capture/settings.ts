import * as z from 'zod';

/** How many captured emails a space keeps, and for how long. */
export const CaptureSettings = z
  .strictObject({ most: z.int().min(1).default(10_000), days: z.number().positive().default(14) })
  .prefault({});
export type CaptureSettings = z.infer<typeof CaptureSettings>;
