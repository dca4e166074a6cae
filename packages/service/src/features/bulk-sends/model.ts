import { STATES } from '@verbalis/core/delivery';
import * as z from 'zod';
import { IdCursor, Limit, NumberCursor, oneLine, RequestFault } from '../../kernel/index.js';
import { Locale, NewMessage } from '../messages/index.js';

const [Recipient] = [NewMessage.shape.to.element];

/** One recipient of a bulk send. */
export const BulkRecipient = z
  .strictObject({
    to: Recipient,
    data: z.record(z.string(), z.unknown()).optional().meta({ description: 'Laid over the data that all have in common, field by field.' }),
    locale: Locale.optional(),
    timeZone: z.string().max(60).optional(),
    reference: oneLine(200).optional(),
    labels: z.record(oneLine(60), oneLine(200)).optional(),
  })
  .meta({ id: 'BulkRecipient' });
export type BulkRecipient = z.output<typeof BulkRecipient>;

export const NewBulkSend = z
  .strictObject({
    template: z.string().min(1).max(100),
    name: oneLine(100).min(1).optional().meta({ description: 'As people know it; the template, when left out.' }),
    recipients: z
      .union([
        z.strictObject({ list: z.array(BulkRecipient).min(1).max(1000) }),
        z.strictObject({ upload: z.string().max(60), format: z.enum(['ndjson', 'csv']).optional() }),
        z.strictObject({ url: z.url({ protocol: /^https?$/ }).max(2000) }),
      ])
      .meta({
        description:
          'A list; an upload of NDJSON (a BulkRecipient in each line) or CSV (columns `to` or `address` and `name`, `locale`, `timeZone`, `reference`, `data.…`); or an address of yours that gives them page by page.',
      }),
    data: z.record(z.string(), z.unknown()).optional().meta({ description: 'What all have in common.' }),
    locale: Locale.optional(),
    timeZone: z.string().max(60).optional(),
    reference: oneLine(200).optional(),
    labels: z.record(oneLine(60), oneLine(200)).optional(),
    perMinute: z
      .int()
      .min(1)
      .max(1_000_000)
      .optional()
      .meta({ description: 'So many recipients a minute; as fast as they leave, when left out.' }),
    first: z.int().min(1).optional().meta({ description: 'Only so many of the first recipients: a test run.' }),
    essential: z
      .boolean()
      .default(false)
      .meta({ description: 'Must be true for a template of an essential topic: recipients cannot unsubscribe from it.' }),
  })
  .meta({ id: 'NewBulkSend' });

const BulkState = z.enum(['running', 'paused', 'done', 'canceled', 'failed']).meta({ id: 'BulkState' });

const fields = {
  id: z.string(),
  name: z.string(),
  template: z.string(),
  state: BulkState.meta({ description: 'failed: its recipients cannot be read, and it is not retried; resume retries it.' }),
  source: z.enum(['rows', 'url']),
  createdAt: z.iso.datetime(),
  endedAt: z.iso.datetime().optional(),
  read: z.int().meta({ description: 'Recipients that were read.' }),
  accepted: z.int().meta({ description: 'That have a message.' }),
  refused: z.int().meta({ description: 'That cannot have one, with the reason.' }),
  perMinute: z.int().optional(),
  first: z.int().optional(),
  run: z
    .strictObject({ schedule: z.string(), plannedAt: z.iso.datetime() })
    .optional()
    .meta({ description: 'The run of a schedule that it is.' }),
  problem: z.string().optional().meta({ description: 'What it waits for, or why it failed.' }),
  nextAt: z.iso.datetime().optional().meta({ description: 'When it goes on.' }),
};

export const BulkSummary = z.strictObject(fields).meta({ id: 'BulkSummary' });
export const BulkView = z
  .strictObject({ ...fields, deliveries: z.partialRecord(z.enum(STATES), z.int()).meta({ description: 'How its deliveries stand.' }) })
  .meta({ id: 'BulkSend' });
export const BulkList = z.strictObject({ bulkSends: z.array(BulkSummary), nextCursor: z.string().optional() }).meta({ id: 'BulkSendList' });
export const BulkQuery = z.strictObject({ limit: Limit, cursor: IdCursor });

export const RefusalQuery = z.strictObject({ limit: Limit, cursor: NumberCursor });
export const RefusalList = z
  .strictObject({
    refused: z.array(
      z.strictObject({ row: z.int().meta({ description: 'From 1.' }), who: z.string().optional(), problems: z.array(RequestFault) }),
    ),
    nextCursor: z.string().optional(),
  })
  .meta({ id: 'BulkRefusals' });

export const SourceSecret = z
  .strictObject({
    secret: z.string().meta({ description: 'Standard Webhooks 1.0: with it your address knows that a request for recipients is ours.' }),
  })
  .meta({ id: 'SourceSecret' });
