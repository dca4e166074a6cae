import { z } from 'zod';
import { Host, Name, Port } from '../../kernel/index.js';

/** Where apps hand whole emails in by SMTP, with a key as password. Off unless a port is set. */
export const SubmissionSettings = z
  .strictObject({
    host: Host.default('127.0.0.1'),
    port: Port.optional(),
    /** A capturing space that takes mail with any user and password, or none: an app needs no more than host and port. */
    openTo: Name.optional(),
  })
  .prefault({});
export type SubmissionSettings = z.infer<typeof SubmissionSettings>;
