import * as z from 'zod';
import { CauseName } from '../messages/index.js';
import { IdCursor, Limit } from '../../kernel/index.js';

const ReturnKindName = z
  .enum(['delivery-status', 'complaint', 'feedback', 'auto-reply', 'read-receipt', 'other'])
  .meta({ id: 'ReturnKind' });
const ReportView = z
  .strictObject({
    address: z.string(),
    action: z.enum(['failed', 'delayed', 'delivered', 'relayed', 'expanded']),
    status: z.string().optional(),
    replyCode: z.int().optional(),
    cause: CauseName,
    evidence: z.string().meta({ description: 'The words or the code that decided the cause.' }),
    confidence: z.enum(['sure', 'likely', 'guess']),
    permanent: z.boolean(),
    diagnostic: z.string().optional(),
  })
  .meta({ id: 'RecipientReport' });
export const ReturnView = z
  .strictObject({
    id: z.string(),
    receivedAt: z.iso.datetime(),
    source: z.enum(['mail', 'upload', 'callback']),
    provider: z.string().optional(),
    kind: ReturnKindName,
    matched: z.boolean(),
    deliveryId: z.string().optional(),
    messageId: z.string().optional().meta({ description: 'The message of that delivery.' }),
    from: z.string().optional(),
    subject: z.string().optional(),
    envelopeTo: z.string().optional(),
    originalMessageId: z.string().optional(),
    feedbackType: z.string().optional(),
    about: z
      .array(z.string())
      .optional()
      .meta({ description: 'Addresses that a feedback report names, if it does not say how a delivery ended.' }),
    problem: z.string().optional(),
    recipients: z.array(ReportView),
  })
  .meta({ id: 'Return' });
export const ReturnList = z.strictObject({ returns: z.array(ReturnView), nextCursor: z.string().optional() }).meta({ id: 'ReturnList' });
export const ReturnQuery = z.strictObject({
  limit: Limit,
  cursor: IdCursor,
  kind: ReturnKindName.optional(),
  matched: z.enum(['yes', 'no']).optional(),
  message: z.string().max(60).optional().meta({ description: 'Only those about this message.' }),
});
export const ReturnUpload = z.strictObject({
  envelopeTo: z.string().max(400).default('').meta({ description: 'The address that it was sent to.' }),
});
export const ReturnMatch = z.strictObject({ deliveryId: z.string().min(1).max(60) }).meta({ id: 'ReturnMatch' });
export const ReturnsStored = z
  .strictObject({
    returns: z.array(z.strictObject({ id: z.string(), kind: ReturnKindName, deliveryId: z.string().optional(), repeated: z.boolean() })),
  })
  .meta({ id: 'ReturnsStored' });
