import * as z from 'zod';
import { Limit, NumberCursor, Time } from '../../kernel/index.js';
import { FilterText } from '../events/index.js';

const HeaderName = z.string().regex(/^[A-Za-z0-9-]{1,60}$/, 'is no name of a header field');
const RESERVED = /^(?:content-|host$|connection$|transfer-encoding$|webhook-|user-agent$)/i;
const Headers = z
  .record(
    HeaderName,
    z
      .string()
      .max(2000)
      .regex(/^[\t\x20-\x7E]*$/, 'holds what no header field may hold'),
  )
  .refine((headers) => !Object.keys(headers).some((name) => RESERVED.test(name)), { message: 'holds a field that is set by the service.' });

export const NewSubscription = z
  .strictObject({
    url: z.url({ protocol: /^https?$/ }),
    name: z.string().min(1).max(100).optional(),
    filter: FilterText.default(''),
    headers: Headers.default({}).meta({ description: 'Header fields that go with each notification; kept encrypted.' }),
    payload: z
      .unknown()
      .optional()
      .meta({ description: 'A JSON template in place of the event: {"text": "{{ event.data.diagnostic }}"}.' }),
    batch: z.int().min(1).max(100).default(1).meta({ description: 'Events in one notification at most.' }),
    handshake: z
      .boolean()
      .default(true)
      .meta({ description: 'Whether the consumer must say that it wants this; false needs the scope manage.' }),
  })
  .meta({ id: 'NewSubscription' });
export const SubscriptionChange = z
  .strictObject({
    name: z.string().min(1).max(100).optional(),
    filter: FilterText.optional(),
    payload: z.unknown().optional(),
    batch: z.int().min(1).max(100).optional(),
  })
  .meta({ id: 'SubscriptionChange' });
export const SubscriptionView = z
  .strictObject({
    id: z.string(),
    name: z.string(),
    url: z.string(),
    filter: z.string(),
    payload: z.unknown().optional(),
    batch: z.int(),
    state: z.enum(['unproven', 'active', 'paused', 'gone']),
    reason: z.string().optional().meta({ description: 'Why it is in this state.' }),
    restingUntil: z.iso.datetime().optional().meta({ description: 'The consumer fails, and is left alone until then.' }),
    createdAt: z.iso.datetime(),
    behind: z.int().meta({ description: 'Events that were not looked at yet.' }),
    waiting: z.int(),
    delivered: z.int(),
    deadLetters: z.int(),
    secret: z.string().optional().meta({ description: 'What signs; shown once, when it is made.' }),
  })
  .meta({ id: 'Subscription' });
export const SubscriptionViews = z.strictObject({ subscriptions: z.array(SubscriptionView) }).meta({ id: 'SubscriptionList' });

export const NotificationView = z
  .strictObject({
    id: z.string(),
    state: z.enum(['waiting', 'delivered', 'dead-letter']),
    eventId: z.string(),
    type: z.string(),
    deliveryId: z.string().optional(),
    messageId: z.string().optional(),
    address: z.string().optional(),
    attempts: z.int(),
    lastAt: z.iso.datetime().optional(),
    nextAt: z.iso.datetime().optional(),
    status: z.int().optional(),
    problem: z.string().optional(),
    milliseconds: z.int().optional(),
  })
  .meta({ id: 'Notification' });
export const NotificationList = z
  .strictObject({ notifications: z.array(NotificationView), nextCursor: z.string().optional() })
  .meta({ id: 'NotificationList' });
export const NotificationQuery = z.strictObject({
  limit: Limit,
  cursor: NumberCursor,
  state: z.enum(['waiting', 'delivered', 'dead-letter']).optional(),
});
export const SubscriptionTested = z
  .strictObject({ ok: z.boolean(), status: z.int().optional(), problem: z.string().optional(), milliseconds: z.int() })
  .meta({ id: 'SubscriptionTested' });
export const Replay = z.strictObject({ since: Time }).meta({ id: 'Replay' });
export const Again = z
  .strictObject({
    notifications: z.array(z.string()).min(1).max(1000).optional().meta({ description: 'Which dead letters; all when left out.' }),
  })
  .meta({ id: 'Again' });
export const AgainMade = z.strictObject({ count: z.int() }).meta({ id: 'AgainMade' });
