import * as z from 'zod';
import { Host, Port } from '../../kernel/index.js';

/** A listener for links of emails alone. */
export const LinkSettings = z
  .strictObject({
    host: Host.default('127.0.0.1'),
    port: Port.optional().meta({
      description:
        'A separate port for links that are followed and images that are loaded, answered by a separate thread: a proxy passes /go/ and /image/ to it. Without it they are answered at listen.port.',
    }),
  })
  .prefault({});
export type LinkSettings = z.infer<typeof LinkSettings>;
