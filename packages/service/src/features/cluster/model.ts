import * as z from 'zod';

const NodeView = z
  .strictObject({
    node: z.string(),
    role: z.enum(['primary', 'standby', 'starting', 'drained']).meta({
      description: 'A drained node never takes over. One that is starting fetches what it lacks.',
    }),
    url: z.string().optional(),
    version: z.string(),
    record: z.int().meta({ description: 'The last record of the log that it has.' }),
    behind: z.int().meta({ description: 'Records that it lacks.' }),
    lagSeconds: z.number().meta({ description: 'Age of the last record that it has, where it lacks some.' }),
    takesOver: z.boolean(),
    heardAt: z.iso.datetime(),
    problem: z.string().optional(),
  })
  .meta({ id: 'ClusterNode' });

export const ClusterView = z
  .strictObject({
    state: z.enum(['off', 'healthy', 'broker-missing', 'no-standby', 'behind', 'no-primary']).meta({
      description:
        'Off: this service is on its own. No standby: the loss of the primary would stop everything. Broker missing: fewer brokers than `log.replicas` have the log.',
    }),
    node: z.string().optional().meta({ description: 'The node that answers.' }),
    role: z.enum(['primary', 'standby', 'starting', 'drained']).optional(),
    primary: z.strictObject({ node: z.string(), url: z.string().optional(), since: z.iso.datetime() }).optional(),
    nodes: z.array(NodeView),
    log: z
      .strictObject({
        first: z.int(),
        last: z.int(),
        bytes: z.int(),
        mostBytes: z.int(),
        replicas: z.int().meta({ description: 'How many brokers are to keep it.' }),
        present: z.int().meta({ description: 'How many of them have it.' }),
      })
      .optional()
      .meta({ description: 'The records that the brokers have.' }),
    snapshot: z.strictObject({ record: z.int(), asOf: z.iso.datetime(), bytes: z.int() }).optional(),
    workers: z
      .array(
        z.strictObject({ worker: z.string(), underWay: z.int(), room: z.int().meta({ description: 'Emails that it would still take.' }) }),
      )
      .optional()
      .meta({ description: 'Delivery workers, as the primary knows them; absent elsewhere.' }),
    problem: z.string().optional(),
  })
  .meta({ id: 'Cluster' });

export const PromotionView = z.strictObject({ wanted: z.string() }).meta({ id: 'Promotion' });
export const DrainView = z.strictObject({ drained: z.boolean() }).meta({ id: 'Drain' });
export const DrainRequest = z
  .strictObject({ drained: z.boolean().default(true).meta({ description: 'False: it may take over again.' }) })
  .meta({ id: 'DrainRequest' });
