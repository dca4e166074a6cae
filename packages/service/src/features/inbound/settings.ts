import * as z from 'zod';
import { Name } from '../../kernel/index.js';

/** "support@host.example", or with "*" in its local part: "lost+*@host.example". */
const PATTERN = /^[A-Za-z0-9.!#$%&'/=?^_`{|}~+*-]{1,64}@[A-Za-z0-9](?:[A-Za-z0-9.-]{0,251}[A-Za-z0-9])?$/;

export const InboundSettings = z
  .strictObject({
    addresses: z
      .array(
        z.strictObject({
          address: z
            .string()
            .regex(PATTERN, 'must be an address such as "support@host.example", or a pattern such as "lost+*@host.example"')
            .meta({ description: 'An address at a host whose mail comes to the listener of return paths; "*" matches any characters.' }),
          space: z.string().meta({ description: 'The space that gets what comes.' }),
          name: Name.meta({ description: 'What the app, the console and events call it.' }),
        }),
      )
      .max(1000)
      .default([]),
    perHour: z.int().min(1).max(100_000).default(60).meta({
      description: 'Emails that one sender, or the recipient of one message, may send us within an hour; more are deferred (450).',
    }),
    automaticPerDay: z
      .int()
      .min(0)
      .max(1000)
      .default(3)
      .meta({ description: 'Automatic answers that one address gets from a space within 24 hours.' }),
  })
  .prefault({});
export type InboundSettings = z.infer<typeof InboundSettings>;
