import { PROFILE_SHAPE } from '@verbalis/core/profile';
import * as z from 'zod';
import { Limits } from './limits.js';

/** A provider that is an HTTP mail API: its profile, and how much it is given. */
export const HttpProfile = z.strictObject({
  kind: z.literal('http'),
  profile: z
    .string()
    .min(1)
    .optional()
    .meta({ description: 'A folder with profile.yaml and examples/*.http; settings given here take precedence.' }),
  ...PROFILE_SHAPE,
  secretFiles: z
    .record(z.string(), z.string().min(1))
    .default({})
    .meta({ description: 'Files that hold secrets, by name; read at the start and at each reload.' }),
  limits: Limits,
  tls: z
    .strictObject({
      caFile: z.string().optional().meta({ description: 'Certificates in PEM that are trusted in place of the system’s.' }),
      certificateFile: z.string().optional().meta({ description: 'A certificate of ours, for providers that ask for one.' }),
      keyFile: z.string().optional(),
      name: z.string().optional().meta({ description: 'The name in their certificate, where it is not the host.' }),
    })
    .prefault({})
    .refine(
      ({ certificateFile, keyFile }) => (certificateFile === undefined) === (keyFile === undefined),
      'needs certificateFile and keyFile, or neither',
    ),
  connections: z.int().min(1).max(200).default(5).meta({ description: 'Concurrent requests.' }),
  waitSeconds: z.number().positive().max(600).default(30),
});
export type HttpProfile = z.infer<typeof HttpProfile>;
