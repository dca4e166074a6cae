import { EVENT_KINDS } from '@verbalis/core/events';
import { z } from 'zod';
import { DIMENSIONS } from '../store/index.js';

// The shapes of events, subscriptions, figures and alerts.

const Limit = z.coerce.number().int().min(1).max(200).default(50);
const Kind = z.enum(EVENT_KINDS);
const Time = z.iso.datetime({ offset: true });

/** A filter of events, read where it is used so that faults have a place. */
export const FilterText = z
  .string()
  .max(4000)
  .meta({ description: 'Conditions, like: type in [failed, complained] and topic = "bookings".' });

export const CloudEventView = z
  .strictObject({
    specversion: z.literal('1.0'),
    id: z.string(),
    source: z.string(),
    type: z.string(),
    subject: z.string().optional(),
    time: z.iso.datetime(),
    datacontenttype: z.literal('application/json'),
    dataschema: z.string(),
    partitionkey: z.string().optional(),
    data: z.record(z.string(), z.unknown()),
  })
  .meta({ id: 'CloudEvent' });

export const EventsQuery = z.strictObject({
  limit: Limit,
  cursor: z.string().optional(),
  filter: FilterText.optional(),
  deliveryId: z.string().optional(),
  space: z.string().optional(),
});
export const EventList = z.strictObject({ events: z.array(CloudEventView), nextCursor: z.string().optional() }).meta({ id: 'EventList' });
export const FilterTrial = z.strictObject({ filter: FilterText }).meta({ id: 'FilterTrial' });
export const FilterTried = z
  .strictObject({
    looked: z.int().meta({ description: 'Events of the last day that were looked at.' }),
    passed: z.int(),
    kinds: z.record(z.string(), z.int()).meta({ description: 'Those that pass, by kind.' }),
  })
  .meta({ id: 'FilterTried' });
export const StreamQuery = z.strictObject({ filter: FilterText.optional(), space: z.string().optional() });

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
    headers: Headers.default({}).meta({ description: 'Header fields that go with each notification; kept sealed.' }),
    shape: z.unknown().optional().meta({ description: 'A JSON template in place of the event: {"text": "{{ event.data.diagnostic }}"}.' }),
    batch: z.int().min(1).max(100).default(1).meta({ description: 'Events in one notification at most.' }),
    handshake: z
      .boolean()
      .default(true)
      .meta({ description: 'Whether the consumer must say that it wants this; false needs the scope admin.' }),
  })
  .meta({ id: 'NewSubscription' });
export const SubscriptionChange = z
  .strictObject({
    name: z.string().min(1).max(100).optional(),
    filter: FilterText.optional(),
    shape: z.unknown().optional(),
    batch: z.int().min(1).max(100).optional(),
  })
  .meta({ id: 'SubscriptionChange' });
export const SubscriptionView = z
  .strictObject({
    id: z.string(),
    name: z.string(),
    url: z.string(),
    filter: z.string(),
    shape: z.unknown().optional(),
    batch: z.int(),
    state: z.enum(['unproven', 'active', 'paused', 'gone']),
    reason: z.string().optional().meta({ description: 'Why it is in this state.' }),
    restingUntil: z.iso.datetime().optional().meta({ description: 'The consumer fails, and is left alone until then.' }),
    createdAt: z.iso.datetime(),
    behind: z.int().meta({ description: 'Events that were not looked at yet.' }),
    waiting: z.int(),
    delivered: z.int(),
    setAside: z.int(),
    secret: z.string().optional().meta({ description: 'What signs; shown once, when it is made.' }),
  })
  .meta({ id: 'Subscription' });
export const SubscriptionViews = z.strictObject({ subscriptions: z.array(SubscriptionView) }).meta({ id: 'SubscriptionList' });

export const NotificationView = z
  .strictObject({
    id: z.string(),
    state: z.enum(['waiting', 'delivered', 'set-aside']),
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
  cursor: z.string().optional(),
  state: z.enum(['waiting', 'delivered', 'set-aside']).optional(),
  space: z.string().optional(),
});
export const SubscriptionTested = z
  .strictObject({ ok: z.boolean(), status: z.int().optional(), problem: z.string().optional(), milliseconds: z.int() })
  .meta({ id: 'SubscriptionTested' });
export const Replay = z.strictObject({ since: Time }).meta({ id: 'Replay' });
export const Again = z
  .strictObject({
    notifications: z.array(z.string()).min(1).max(1000).optional().meta({ description: 'Which of those set aside; all when left out.' }),
  })
  .meta({ id: 'Again' });
export const AgainMade = z.strictObject({ count: z.int() }).meta({ id: 'AgainMade' });

const Times = z.strictObject({ median: z.int().optional(), p95: z.int().optional() }).meta({ description: 'Milliseconds.' });
export const Counts = z
  .strictObject({
    asked: z.int().meta({ description: 'Deliveries of which something is known.' }),
    states: z.record(z.string(), z.int()),
    opened: z.int(),
    clicked: z.int(),
    toAccepted: Times,
    toDelivered: Times,
  })
  .meta({ id: 'Counts' });
export const FiguresQuery = z.strictObject({
  from: Time.optional(),
  to: Time.optional(),
  by: z.enum(DIMENSIONS).exclude(['all']).optional(),
  grain: z.enum(['hour', 'day']).optional(),
  space: z.string().optional(),
});
export const Figures = z
  .strictObject({
    from: z.iso.datetime(),
    to: z.iso.datetime(),
    grain: z.enum(['hour', 'day']),
    total: Counts,
    before: Counts.meta({ description: 'The same for as long a time before.' }),
    series: z.array(z.strictObject({ at: z.iso.datetime(), states: z.record(z.string(), z.int()) })),
    by: z.array(z.strictObject({ value: z.string(), counts: Counts })).optional(),
  })
  .meta({ id: 'Figures' });

export const AlertView = z
  .strictObject({
    id: z.string(),
    rule: z.string(),
    group: z.string().optional(),
    since: z.iso.datetime(),
    resolvedAt: z.iso.datetime().optional(),
    value: z.number(),
    text: z.string().meta({ description: 'What was found when it began, in a sentence.' }),
  })
  .meta({ id: 'Alert' });
export const RuleName = z.string().regex(/^[a-z0-9][a-z0-9-]{0,39}$/, 'must be small letters, digits and "-"');
export const AlertRuleView = z
  .strictObject({
    name: z.string(),
    from: z
      .enum(['configuration', 'service'])
      .meta({ description: 'Where it is written down; that of the configuration is changed there.' }),
    of: z.array(Kind),
    where: z.string(),
    by: z.string().optional(),
    percent: z.number().optional(),
    count: z.int().optional(),
    queueSeconds: z.number().optional(),
    minutes: z.int(),
    least: z.int(),
  })
  .meta({ id: 'AlertRule' });
export const AlertList = z.strictObject({ alerts: z.array(AlertView), rules: z.array(AlertRuleView) }).meta({ id: 'AlertList' });

/** Items that could not be processed. */
export const QuarantineQuery = z.strictObject({
  limit: z.coerce.number().int().min(1).max(200).default(50),
  cursor: z.string().optional(),
});
export const QuarantinedItem = z
  .strictObject({
    id: z.string(),
    worker: z.string().meta({ description: 'Whose item it is: queue, callbacks, returns, notifications, figures, alerts, …' }),
    space: z
      .string()
      .optional()
      .meta({ description: 'Missing where nobody knows whose it is; such items are shown to the operator only.' }),
    title: z.string(),
    error: z.string().meta({ description: 'Why it could not be processed.' }),
    quarantinedAt: z.iso.datetime(),
  })
  .meta({ id: 'QuarantinedItem' });
export const QuarantinedItemFull = QuarantinedItem.extend({
  stack: z.string(),
  payload: z.unknown().meta({ description: 'What is needed to try it again.' }),
}).meta({ id: 'QuarantinedItemFull' });
export const QuarantineList = z
  .strictObject({ items: z.array(QuarantinedItem), nextCursor: z.string().optional() })
  .meta({ id: 'QuarantineList' });
