import { z } from 'zod';
import { oneLine, SCOPES } from '../../kernel/index.js';

export const NewKey = z.strictObject({ name: oneLine(100).min(1), scopes: z.array(z.enum(SCOPES)).min(1) }).meta({ id: 'NewKey' });
export const KeyMade = z
  .strictObject({
    id: z.string(),
    name: z.string(),
    scopes: z.array(z.enum(SCOPES)),
    key: z.string().meta({ description: 'Shown once; kept as a hash.' }),
  })
  .meta({ id: 'KeyMade' });

export const SignIn = z
  .strictObject({ secret: z.string().max(200).optional(), token: z.string().max(200).optional() })
  .refine((body) => (body.secret === undefined) !== (body.token === undefined), 'give either "secret" or "token"')
  .meta({ id: 'SignIn' });
