import * as z from 'zod';
import { Host, Name, Port } from '../../kernel/index.js';
import { ListenerSettings } from '../smtp/index.js';

/** Where apps hand whole emails in by SMTP, with a key as password. Off unless a port is set. */
export const SubmissionSettings = z
  .strictObject({
    host: Host.default('127.0.0.1'),
    port: Port.optional(),
    tlsPort: Port.optional().meta({ description: 'A port that is secure from the first byte (RFC 8314 3.3); needs `tls`.' }),
    insecure: z
      .boolean()
      .default(false)
      .meta({ description: 'Whether a key is accepted without TLS from other machines: only on a trusted network.' }),
    openTo: Name.optional().meta({
      description: 'A capturing space that takes mail with any user and password, or none: an app needs no more than host and port.',
    }),
    lineEnds: z
      .enum(['refuse', 'repair'])
      .default('refuse')
      .meta({ description: 'An email with a bare CR or LF is refused (RFC 5321 2.3.8), or its line ends are made CRLF.' }),
    ...ListenerSettings({ perAddress: 100, perMinute: 6000 }),
  })
  .refine(({ tlsPort, tls }) => tlsPort === undefined || tls !== undefined, {
    path: ['tls'],
    message: 'must name a certificate and key, since there is a tlsPort',
  })
  .prefault({});
export type SubmissionSettings = z.infer<typeof SubmissionSettings>;
