import * as z from 'zod';
import { IdCursor, Limit, oneLine } from '../../kernel/index.js';
import { Locale, NewMessage } from '../messages/index.js';

const DAY_MINUTES = 1440;

export const NewPermit = z
  .strictObject({
    template: z.string().min(1).max(100),
    to: z
      .union([NewMessage.shape.to.max(20), z.literal('identity')])
      .meta({ description: 'Recipients; or "identity": the verified address in the token of who is signed in, and nothing else.' }),
    data: z.record(z.string(), z.unknown()).optional().meta({ description: 'Data that is fixed.' }),
    mayAdd: z
      .record(z.string(), z.unknown())
      .optional()
      .meta({ description: 'What the browser may add to it: a JSON Schema of type object with `properties`. Left out: nothing.' }),
    locale: Locale.optional(),
    timeZone: z.string().max(60).optional(),
    reference: oneLine(200).optional(),
    labels: z.record(oneLine(60), oneLine(200)).optional(),
    times: z.int().min(1).max(10_000).default(1).meta({ description: 'How often it can be used.' }),
    minutes: z.int().min(1).max(DAY_MINUTES).default(15).meta({ description: 'How long it can be used; a day at most.' }),
  })
  .meta({ id: 'NewPermit' });
export type NewPermit = z.output<typeof NewPermit>;

const fields = {
  id: z.string(),
  template: z.string(),
  state: z.enum(['open', 'used', 'expired', 'revoked']),
  to: z.union([NewMessage.shape.to, z.literal('identity')]),
  times: z.int(),
  used: z.int(),
  createdAt: z.iso.datetime(),
  expiresAt: z.iso.datetime(),
};
export const PermitView = z.strictObject(fields).meta({ id: 'Permit' });
export const PermitMade = z
  .strictObject({ ...fields, permit: z.string().meta({ description: 'What the browser shows. It is not kept, and not shown again.' }) })
  .meta({ id: 'PermitMade' });
export const PermitList = z.strictObject({ permits: z.array(PermitView), nextCursor: z.string().optional() }).meta({ id: 'PermitList' });
export const PermitQuery = z.strictObject({ limit: Limit, cursor: IdCursor });

export const PermittedMessage = z
  .strictObject({
    permit: z.string().max(200),
    identity: z
      .string()
      .max(16_000)
      .optional()
      .meta({ description: 'The token of who is signed in (JWT), where the permit is to "identity".' }),
    data: z.record(z.string(), z.unknown()).optional().meta({ description: 'What the permit lets the browser add.' }),
  })
  .meta({ id: 'PermittedMessage' });
export const PermittedTaken = z
  .strictObject({ id: z.string(), left: z.int().meta({ description: 'How often the permit can still be used.' }) })
  .meta({ id: 'PermittedTaken' });
