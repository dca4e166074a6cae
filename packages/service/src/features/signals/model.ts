import * as z from 'zod';
import { IdCursor, Limit, oneLine, Time } from '../../kernel/index.js';

const Type = z
  .string()
  .regex(/^[A-Za-z0-9][\w.:/-]{0,199}$/, 'must be a type such as "booking.paid"')
  .meta({ description: 'What happened, as rules name it.', examples: ['booking.paid'] });

/** A CloudEvent (1.0) with JSON data. Attributes beside these are taken and not kept. */
export const NewSignal = z
  .looseObject({
    specversion: z.literal('1.0', 'must be "1.0"').default('1.0'),
    id: oneLine(200).min(1).optional().meta({
      description: 'With `source` it identifies the signal: sent again, it is the same one. If left out, every request is a new signal.',
    }),
    source: oneLine(500).min(1).default('/').meta({ description: 'The source: a part of the app.' }),
    type: Type,
    subject: oneLine(300).min(1).optional(),
    time: Time.optional().meta({ description: 'When it happened; now, when left out.' }),
    datacontenttype: z
      .string()
      .regex(/^application\/(?:[\w.-]+\+)?json(?:\s*;.*)?$/i, 'must be application/json: rules read JSON')
      .optional(),
    data: z.unknown().optional(),
  })
  .meta({ id: 'NewSignal' });
export type NewSignal = z.output<typeof NewSignal>;

export const SignalState = z.enum(['waiting', 'sent', 'canceled', 'limited', 'refused', 'ignored']).meta({
  id: 'SignalState',
  description:
    'The result of a rule for a signal. waiting: its email is due later. sent: there is a message. canceled: a later signal or a person. limited: its recipients had as many as the rule allows. refused: what the rule made is no email that can be sent. ignored: the test of the rule does not hold.',
});

const SignalMatch = z
  .strictObject({
    rule: z.string(),
    state: SignalState,
    why: z.string().optional(),
    dueAt: z.iso.datetime().optional().meta({ description: 'Of one that waits.' }),
    changedAt: z.iso.datetime(),
    messageId: z.string().optional(),
    combinedWith: z.array(z.string()).optional().meta({ description: 'Other signals in the same email.' }),
  })
  .meta({ id: 'SignalMatch' });

const fields = {
  id: z.string(),
  eventId: z.string(),
  source: z.string(),
  type: z.string(),
  subject: z.string().optional(),
  time: z.iso.datetime(),
  receivedAt: z.iso.datetime(),
  isOpen: z.boolean().meta({ description: 'Whether no person has looked at it yet.' }),
  cancels: z.array(z.string()).optional().meta({ description: 'Rules whose waiting emails about the same subject it cancels.' }),
  rules: z.array(SignalMatch).meta({ description: 'The results of the rules on its type.' }),
};

export const SignalView = z
  .strictObject({ ...fields, data: z.unknown().optional().meta({ description: 'Absent when it is no longer kept.' }) })
  .meta({ id: 'Signal' });
export const SignalList = z
  .strictObject({ signals: z.array(z.strictObject(fields)), nextCursor: z.string().optional() })
  .meta({ id: 'SignalList' });

export const SignalQuery = z.strictObject({
  limit: Limit,
  cursor: IdCursor,
  type: z.string().max(200).optional(),
  subject: z.string().max(300).optional(),
  source: z.string().max(500).optional(),
  rule: z.string().max(100).optional(),
  message: z.string().max(60).optional().meta({ description: 'Signals that led to this message.' }),
  state: z
    .enum(['waiting', 'sent', 'canceled', 'limited', 'refused', 'ignored', 'open', 'no-rule'])
    .optional()
    .meta({ description: 'The result of a rule; open: not looked at by a person yet; no-rule: no rule is on its type.' }),
});

export const SignalsTaken = z
  .strictObject({
    signals: z.array(
      z.strictObject({
        id: z.string(),
        eventId: z.string(),
        repeated: z.boolean().meta({ description: 'It had come before: nothing follows from it again.' }),
      }),
    ),
  })
  .meta({ id: 'SignalsTaken' });

export const SignalChange = z
  .strictObject({ rules: z.int().meta({ description: 'How many rules it was that changed.' }) })
  .meta({ id: 'SignalChange' });

export const SignalRules = z
  .strictObject({
    edition: z.int().optional(),
    rules: z.array(
      z.strictObject({
        name: z.string(),
        on: z.string(),
        when: z.string().optional(),
        template: z.string(),
        afterSeconds: z.number().optional(),
        unless: z.string().optional(),
        combineSeconds: z.number().optional(),
        atMost: z.strictObject({ count: z.int(), seconds: z.number() }).optional(),
        counts: z.record(z.string(), z.int()).meta({ description: 'Signals of the last seven days by state.' }),
      }),
    ),
  })
  .meta({ id: 'SignalRules' });
