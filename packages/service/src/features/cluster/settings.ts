import * as z from 'zod';
import { Name } from '../../kernel/index.js';

/** Several services that share what they know through brokers of NATS JetStream. One service alone needs nothing of it. */
export const ClusterSettings = z
  .strictObject({
    servers: z
      .array(z.string().regex(/^[A-Za-z0-9.:[\]-]+:\d{1,5}$/, 'must be host:port'))
      .default([])
      .meta({ description: 'The brokers (nats-server with JetStream), as host:port. Without them the service is on its own.' }),
    prefix: Name.default('verbalis').meta({ description: 'What the names of streams and buckets begin with: one for each cluster.' }),
    node: Name.optional().meta({ description: 'What this service is called in the cluster; the name of the machine, when left out.' }),
    url: z
      .string()
      .regex(/^https?:\/\/[^\s/]+$/, 'must be http(s)://host[:port]')
      .optional()
      .meta({ description: 'Where this service is reached; a standby names the address of the primary to those who want to write.' }),
    replicas: z.int().min(1).max(5).default(3).meta({ description: 'How many brokers have each record. Read by verbalis cluster init.' }),
    leaseSeconds: z
      .number()
      .min(8)
      .max(300)
      .default(10)
      .meta({ description: 'When the primary has not been heard of for so long, a standby takes over. Read by verbalis cluster init.' }),
    takesOver: z.boolean().default(true).meta({ description: 'Whether this service takes over; one in a distant place may only follow.' }),
    logMiB: z
      .int()
      .min(16)
      .default(2048)
      .meta({ description: 'Most that the log has at the brokers. A snapshot makes room at half of it. Read by verbalis cluster init.' }),
    snapshotHours: z.number().positive().max(8760).default(24).meta({ description: 'How often the primary adds a whole copy.' }),
    user: z.string().optional(),
    password: z.string().optional(),
    credentialsFile: z
      .string()
      .optional()
      .meta({ description: 'A file of NATS credentials (JWT and seed), in place of user and password.' }),
    tls: z
      .strictObject({
        caFile: z.string().optional(),
        certFile: z.string().optional(),
        keyFile: z.string().optional(),
      })
      .optional()
      .meta({ description: 'Connections to the brokers are encrypted where it is set, also as {}.' }),
  })
  .prefault({});
export type ClusterSettings = z.infer<typeof ClusterSettings>;
