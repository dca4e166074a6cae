import * as z from 'zod';
import { oneLine } from '../../kernel/index.js';

const Address = z.string().min(3).max(254);
const DisplayName = oneLine(100);

export const NewSender = z
  .strictObject({
    address: Address,
    name: DisplayName.optional().meta({ description: 'The display name of emails that name none.' }),
  })
  .meta({ id: 'NewSender' });
export const SenderChange = z.strictObject({ name: DisplayName }).meta({ id: 'SenderChange' });

export const SenderView = z
  .strictObject({
    address: z.string(),
    name: z.string().optional(),
    from: z.enum(['configuration', 'mail-folder', 'added']).meta({ description: 'Where it is named.' }),
    standing: z.enum(['configured', 'own-domain', 'confirmed', 'waiting', 'unknown']).meta({
      description:
        'Why the space may send as it: its domain is configured or was added, or its owner has confirmed it. "waiting" and "unknown": it may not.',
    }),
    usable: z.boolean().meta({ description: 'Whether email of the space may have this author now.' }),
    template: z.string().optional().meta({ description: 'Of a mail folder: the template that names it.' }),
    addedAt: z.iso.datetime().optional(),
    askedAt: z.iso.datetime().optional(),
    confirmedAt: z.iso.datetime().optional(),
    messageId: z.string().optional().meta({ description: 'The email that asks its owner.' }),
    delivery: z.strictObject({ state: z.string(), diagnostic: z.string().optional() }).optional().meta({ description: 'Of that email.' }),
    advice: z.string().optional().meta({ description: 'Why such email may not arrive, although the service sends it.' }),
  })
  .meta({ id: 'Sender' });
export const SenderList = z
  .strictObject({
    senders: z.array(SenderView),
    domains: z.array(z.string()).meta({ description: 'Any address of these may be named as the author of a message.' }),
  })
  .meta({ id: 'SenderList' });
