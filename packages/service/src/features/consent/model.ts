import { CONSENT_WAYS } from '@verbalis/core/consent';
import * as z from 'zod';
import { oneLine, Time } from '../../kernel/index.js';
import { Locale, Tracking } from '../messages/index.js';

const Kind = z.enum(['left', 'rejoined']);
export const ConsentQuery = z.strictObject({ address: z.string().min(3).max(400) });
export const NewConsent = z
  .strictObject({
    address: z.string().min(3).max(400),
    topic: oneLine(100).min(1).meta({ description: 'A topic of the mail folder; "engagement" for consent to individual tracking.' }),
    kind: Kind,
    source: oneLine(500).min(1).meta({ description: 'How you know: "checkbox at booking SM-1042".' }),
    at: Time.optional().meta({ description: 'When it happened; now, when left out.' }),
    until: Time.optional().meta({ description: 'Leaves for a while: until when.' }),
    confirm: z
      .boolean()
      .default(false)
      .meta({ description: 'Whether the owner must confirm first, by the button on a page that an email links to.' }),
    locale: Locale.optional().meta({ description: 'Of that email.' }),
  })
  .refine(({ kind, until }) => kind === 'left' || until === undefined, { path: ['until'], message: 'is only for leaving' })
  .refine(({ kind, confirm, at }) => !confirm || (kind === 'rejoined' && at === undefined), {
    path: ['confirm'],
    message: 'is only for joining, and without "at"',
  })
  .meta({ id: 'NewConsent' });
const Fact = z.strictObject({
  topic: z.string(),
  kind: Kind,
  how: z.enum(CONSENT_WAYS),
  source: z.string().optional(),
  at: z.iso.datetime(),
  until: z.iso.datetime().optional().meta({ description: 'Of a pause: when it ends.' }),
  recordedAt: z.iso.datetime(),
  deliveryId: z.string().optional().meta({ description: 'The email whose link or field was used.' }),
});
export const TopicList = z
  .strictObject({
    topics: z.array(
      z.strictObject({
        topic: z.string(),
        label: z.string().meta({ description: 'As recipients know it, in the locale of the mail folder.' }),
        description: z.string().optional(),
        locales: z.array(z.string()).meta({ description: 'Into which its label is translated.' }),
        purpose: z.enum(['essential', 'optional']),
        lifetimeSeconds: z.int().optional(),
        tracking: Tracking.optional().meta({ description: 'What becomes known of what recipients do; nothing where absent.' }),
        left: z.int().meta({ description: 'Addresses that have left it.' }),
        templates: z.array(z.string()).meta({ description: 'Templates that name it.' }),
      }),
    ),
    canLeave: z.boolean().meta({ description: 'Whether people can reach the service; else email of optional topics is refused.' }),
  })
  .meta({ id: 'TopicList' });
export const ConsentView = z
  .strictObject({
    address: z.string(),
    topics: z
      .array(
        z.strictObject({
          topic: z.string(),
          purpose: z.enum(['essential', 'optional']),
          wanted: z.boolean().meta({ description: 'Whether email of the topic goes to the address.' }),
          why: z.string().optional().meta({ description: 'Why not, in a sentence.' }),
        }),
      )
      .meta({ description: 'Those of the mail folder in use.' }),
    tracking: z
      .enum(['allowed', 'not-allowed'])
      .meta({ description: 'Whether who follows a link may be noted: by consent, or since the space does not ask for it.' }),
    history: z.array(Fact).meta({ description: 'Newest first.' }),
    asked: z
      .strictObject({ messageId: z.string(), until: z.iso.datetime() })
      .optional()
      .meta({ description: 'The email that asks the address to confirm, and until when its link works.' }),
  })
  .meta({ id: 'Consent' });
