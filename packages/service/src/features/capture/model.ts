import * as z from 'zod';
import { Limit, NumberCursor } from '../../kernel/index.js';
import { CauseName } from '../messages/index.js';

// The shapes of captured mail.

export const CapturedSummary = z
  .strictObject({
    id: z.string(),
    receivedAt: z.iso.datetime(),
    to: z.string().meta({ description: 'The recipient of the envelope.' }),
    from: z.string(),
    subject: z.string(),
    size: z.int().meta({ description: 'Bytes of the whole mail.' }),
    attachments: z.int(),
    code: z.string().optional().meta({ description: 'The likeliest one-time code in it.' }),
    messageId: z.string().optional().meta({ description: 'The message it was asked for by; a test has none.' }),
    deliveryId: z.string().optional(),
  })
  .meta({ id: 'CapturedSummary' });

export const CapturedMail = z
  .strictObject({
    ...CapturedSummary.shape,
    headers: z.array(z.strictObject({ name: z.string(), value: z.string() })),
    text: z.string(),
    html: z.string(),
    links: z.array(z.strictObject({ text: z.string(), href: z.string() })).meta({ description: 'In the order of reading.' }),
    codes: z.array(z.string()).meta({ description: 'One-time codes, the likeliest first.' }),
    files: z
      .array(z.strictObject({ part: z.int(), name: z.string(), type: z.string(), size: z.int(), inline: z.boolean() }))
      .meta({ description: 'What is attached; inline: the HTML shows it.' }),
  })
  .meta({ id: 'CapturedMail' });

export const CapturedList = z
  .strictObject({ captured: z.array(CapturedSummary), nextCursor: z.string().optional() })
  .meta({ id: 'CapturedList' });

const filter = {
  to: z.string().max(400).optional().meta({ description: 'The recipient’s address.' }),
  subject: z.string().max(300).optional().meta({ description: 'Words that the subject holds, whatever their case.' }),
  find: z.string().max(300).optional().meta({ description: 'Words that the mail holds anywhere.' }),
};

export const CapturedQuery = z.strictObject({
  ...filter,
  limit: Limit,
  cursor: NumberCursor,
  after: z.iso.datetime().optional().meta({ description: 'Only what came at this time or later.' }),
});
export const CapturedFilterQuery = z.strictObject(filter);
export const CapturedWait = z.strictObject({
  ...filter,
  after: z.iso.datetime().optional().meta({ description: 'Only what came at this time or later.' }),
  seconds: z.coerce.number().min(0).max(120).default(10).meta({ description: 'How long to wait.' }),
});
export const CapturedCleared = z.strictObject({ removed: z.int() }).meta({ id: 'CapturedCleared' });
export const CapturedAddresses = z
  .strictObject({ addresses: z.array(z.strictObject({ address: z.string(), emails: z.int(), latest: z.iso.datetime() })) })
  .meta({ id: 'CapturedAddresses' });

export const Simulation = z
  .strictObject({
    outcome: z.enum(['delivered', 'delayed', 'bounced', 'complained', 'image-loaded', 'link-followed']),
    cause: CauseName.optional().meta({ description: 'Why it bounced or waits.' }),
    link: z.string().max(2000).optional().meta({ description: 'The link that was clicked.' }),
  })
  .meta({ id: 'Simulation' });
