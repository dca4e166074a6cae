import * as z from 'zod';
import { Limit, NumberCursor, Time } from '../../kernel/index.js';

const AuditEntryView = z
  .strictObject({
    seq: z.int().meta({ description: 'Its number; entries are numbered in the order of becoming known.' }),
    at: z.iso.datetime(),
    who: z.strictObject({
      kind: z.enum(['person', 'key', 'operator', 'preview', 'nobody']).meta({ description: 'operator: with the operator’s secret.' }),
      id: z.string().optional(),
      name: z.string(),
    }),
    action: z.string().meta({ description: 'The name of the endpoint: "keys.revoke".' }),
    summary: z.string().meta({ description: 'What the endpoint does.' }),
    space: z.string().optional().meta({ description: 'Absent for what concerns the whole service.' }),
    target: z.string().optional().meta({ description: 'What it was done to.' }),
    change: z.unknown().optional().meta({ description: 'What was asked for, without secrets and without what emails say.' }),
    address: z.string().meta({ description: 'The IP address that the request came from.' }),
  })
  .meta({ id: 'AuditEntry' });

export const AuditList = z.strictObject({ entries: z.array(AuditEntryView), nextCursor: z.string().optional() }).meta({ id: 'AuditList' });

const filters = {
  of: z
    .enum(['space', 'service'])
    .default('space')
    .meta({ description: 'service: all spaces, and what concerns the whole service; for operators.' }),
  who: z.string().max(320).optional().meta({ description: 'The name or the id of a person or a key.' }),
  action: z.string().max(60).optional().meta({ description: '"keys.revoke", or "keys." for all that begin so.' }),
  target: z.string().max(400).optional(),
  from: Time.optional(),
  to: Time.optional(),
};
export const AuditQuery = z.strictObject({ ...filters, limit: Limit, cursor: NumberCursor });
export const AuditCsvQuery = z.strictObject(filters);
