import * as z from 'zod';
import { Network, oneLine, SCOPES, Time } from '../../kernel/index.js';

const Scopes = z.array(z.enum(SCOPES)).min(1);

const list = (entry: z.ZodType<string>, description: string) => z.array(entry).min(1).max(100).optional().meta({ description });

export const Bounds = z
  .strictObject({
    templates: list(oneLine(200).min(1), 'Only messages of these templates.'),
    topics: list(oneLine(200).min(1), 'Only messages of these topics.'),
    senders: list(oneLine(320).min(1), 'Only these senders: addresses or domains, also with "*".'),
    recipients: list(oneLine(320).min(1), 'Only these recipients: addresses or domains, also with "*".'),
    usedFrom: list(Network, 'Only from these IP addresses or networks.'),
    perHour: z
      .int()
      .min(1)
      .max(10_000_000)
      .optional()
      .meta({ description: 'Emails that it may send within an hour; a message to three recipients is three emails.' }),
  })
  .meta({ id: 'KeyBounds', description: 'What the key may be used for beside its scopes. What is left out has no bound.' });

export const NewKey = z
  .strictObject({
    name: oneLine(100).min(1),
    scopes: Scopes,
    expiresAt: Time.optional().meta({ description: 'From then on it is refused.' }),
    bounds: Bounds.optional(),
  })
  .meta({ id: 'NewKey' });

const keyFields = {
  id: z.string(),
  name: z.string(),
  scopes: z.array(z.enum(SCOPES)),
  start: z.string().meta({ description: 'The first characters of its secret.' }),
  createdAt: z.iso.datetime(),
  expiresAt: z.iso.datetime().optional(),
  bounds: Bounds.optional(),
};

export const KeyView = z
  .strictObject({
    ...keyFields,
    state: z.enum(['active', 'expired', 'revoked']),
    revokedAt: z.iso.datetime().optional(),
    rotatesUntil: z.iso.datetime().optional().meta({ description: 'Until then the old secret is valid, too.' }),
    lastUsedAt: z.iso.datetime().optional().meta({ description: 'To the minute.' }),
    lastUsedFrom: z.string().optional().meta({ description: 'The IP address.' }),
  })
  .meta({ id: 'Key' });
export const KeyList = z.strictObject({ keys: z.array(KeyView) }).meta({ id: 'KeyList' });

export const KeyMade = z
  .strictObject({ ...keyFields, space: z.string(), key: z.string().meta({ description: 'Shown once; kept as a hash.' }) })
  .meta({ id: 'KeyMade' });

export const Rotation = z
  .strictObject({
    overlapHours: z
      .number()
      .min(0)
      .max(24 * 90)
      .default(24)
      .meta({ description: 'How long the old secret stays valid; 0 for a key that has leaked.' }),
  })
  .meta({ id: 'Rotation' });
