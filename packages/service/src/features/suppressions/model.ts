import { SUPPRESSION_REASONS } from '@verbalis/core/delivery';
import * as z from 'zod';
import { IdCursor, Limit, oneLine } from '../../kernel/index.js';
import { CauseName } from '../messages/index.js';

const SuppressionReasonName = z.enum(SUPPRESSION_REASONS).meta({ id: 'SuppressionReason' });
export const SuppressionView = z
  .strictObject({
    id: z.string(),
    address: z.string(),
    topic: z.string().optional().meta({ description: 'Only mail of this topic; left out: none at all.' }),
    reason: SuppressionReasonName,
    cause: CauseName.optional(),
    sentence: z.string(),
    evidence: z.string().optional(),
    deliveryId: z.string().optional(),
    note: z.string().optional(),
    createdAt: z.iso.datetime(),
    liftedAt: z.iso.datetime().optional(),
    liftNote: z.string().optional(),
  })
  .meta({ id: 'Suppression' });
export const SuppressionList = z
  .strictObject({ suppressions: z.array(SuppressionView), nextCursor: z.string().optional() })
  .meta({ id: 'SuppressionList' });
export const SuppressionQuery = z.strictObject({
  limit: Limit,
  cursor: IdCursor,
  address: z.string().max(400).optional(),
  topic: z.string().max(100).optional(),
  reason: SuppressionReasonName.optional(),
  lifted: z.enum(['yes', 'no']).default('no'),
});
export const NewSuppression = z
  .strictObject({ address: z.string().min(3).max(400), topic: oneLine(100).optional(), note: oneLine(500).optional() })
  .meta({ id: 'NewSuppression' });
export const Lifting = z.strictObject({ note: oneLine(500).min(1, 'must say why') }).meta({ id: 'Lifting' });
export const SuppressionImport = z
  .strictObject({
    added: z.int(),
    known: z.int(),
    refused: z.int(),
    lines: z
      .array(
        z.strictObject({
          line: z.int(),
          address: z.string().optional(),
          result: z.enum(['added', 'known', 'refused']),
          problem: z.string().optional(),
        }),
      )
      .meta({ description: 'The result for each line of the file.' }),
  })
  .meta({ id: 'SuppressionImport' });
