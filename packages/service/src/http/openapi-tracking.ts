import { z } from 'zod';
import { WrittenRule } from '../config/index.js';
import { json, refused } from './openapi-parts.js';
import {
  Again,
  AgainMade,
  AlertList,
  AlertRuleView,
  EventList,
  EventsQuery,
  Figures,
  FiguresQuery,
  FilterTrial,
  FilterTried,
  NewSubscription,
  NotificationList,
  NotificationQuery,
  QuarantinedItem,
  QuarantinedItemFull,
  QuarantineList,
  QuarantineQuery,
  Replay,
  RuleName,
  StreamQuery,
  SubscriptionChange,
  SubscriptionTested,
  SubscriptionView,
  SubscriptionViews,
} from './tracking-schemas.js';

const ofSubscription = { path: z.object({ id: z.string().meta({ description: 'Its id or its name.' }) }) };
const answer = (schema: z.ZodType, description = 'As it is now.') => ({ '200': { description, content: json(schema) }, default: refused });
const change = (operationId: string, summary: string, schema: z.ZodType = SubscriptionView) => ({
  post: { operationId, summary, requestParams: ofSubscription, responses: answer(schema) },
});

/** The paths of the step Track that tell what has become known. */
export const trackingPaths = {
  '/v1/events': {
    get: {
      operationId: 'listEvents',
      summary: 'Everything that was made public, newest first',
      requestParams: { query: EventsQuery },
      responses: answer(EventList, 'A page.'),
    },
  },
  '/v1/events/stream': {
    get: {
      operationId: 'followEvents',
      summary: 'Events as they come (SSE), from Last-Event-ID on',
      requestParams: { query: StreamQuery },
      responses: { '200': { description: 'Events.', content: { 'text/event-stream': { schema: z.string() } } }, default: refused },
    },
  },
  '/v1/events/filter': {
    post: {
      operationId: 'tryFilter',
      summary: 'How many of the last day’s events a filter lets through',
      requestBody: { content: json(FilterTrial), required: true },
      responses: answer(FilterTried, 'Counts.'),
    },
  },
  '/v1/events/schemas/{name}': {
    get: {
      operationId: 'getEventSchema',
      security: [] as Record<string, string[]>[],
      summary: 'JSON Schema of the data of events: delivery, alert, test',
      requestParams: { path: z.object({ name: z.string() }) },
      responses: {
        '200': { description: 'The schema.', content: { 'application/schema+json': { schema: z.unknown() } } },
        default: refused,
      },
    },
  },
  '/v1/subscriptions': {
    get: { operationId: 'listSubscriptions', summary: 'Where events are sent', responses: answer(SubscriptionViews, 'All of the space.') },
    post: {
      operationId: 'addSubscription',
      summary: 'Send events to an address',
      description:
        'The address is asked first whether it wants them (CloudEvents webhook specification, 4.1). The secret is in this answer and nowhere else.',
      requestBody: { content: json(NewSubscription), required: true },
      responses: { '201': { description: 'Made.', content: json(SubscriptionView) }, default: refused },
    },
  },
  '/v1/subscriptions/{id}': {
    get: {
      operationId: 'getSubscription',
      summary: 'One subscription',
      requestParams: ofSubscription,
      responses: answer(SubscriptionView),
    },
    patch: {
      operationId: 'changeSubscription',
      summary: 'Change its name, filter, shape or batch',
      requestParams: ofSubscription,
      requestBody: { content: json(SubscriptionChange), required: true },
      responses: answer(SubscriptionView),
    },
    delete: {
      operationId: 'removeSubscription',
      summary: 'Take it away, with its notifications',
      requestParams: ofSubscription,
      responses: { '204': { description: 'Gone.' }, default: refused },
    },
  },
  '/v1/subscriptions/{id}/pause': change('pauseSubscription', 'Send nothing until it is resumed; nothing is lost meanwhile'),
  '/v1/subscriptions/{id}/resume': change(
    'resumeSubscription',
    'Go on from where it stands; asks the address again where it has not said yes',
  ),
  '/v1/subscriptions/{id}/test': change('testSubscription', 'Send a test at once', SubscriptionTested),
  '/v1/subscriptions/{id}/secret': change(
    'renewSecret',
    'A new secret that signs beside the old one; the next call takes the old one away',
  ),
  '/v1/subscriptions/{id}/replay': {
    post: {
      operationId: 'replay',
      summary: 'Send again what became known at a time or later',
      requestParams: ofSubscription,
      requestBody: { content: json(Replay), required: true },
      responses: answer(SubscriptionView),
    },
  },
  '/v1/subscriptions/{id}/again': {
    post: {
      operationId: 'sendAgain',
      summary: 'Send again what was set aside',
      requestParams: ofSubscription,
      requestBody: { content: json(Again), required: true },
      responses: answer(AgainMade, 'How many.'),
    },
  },
  '/v1/subscriptions/{id}/notifications': {
    get: {
      operationId: 'listNotifications',
      summary: 'What was sent to it, newest first',
      requestParams: { ...ofSubscription, query: NotificationQuery },
      responses: answer(NotificationList, 'A page.'),
    },
  },
  '/v1/figures': {
    get: {
      operationId: 'figures',
      summary: 'How many, what became of them, how long it took',
      requestParams: { query: FiguresQuery },
      responses: answer(Figures, 'Counts by when deliveries were asked for.'),
    },
  },
  '/v1/figures/csv': {
    get: {
      operationId: 'figuresAsCsv',
      summary: 'The same as a table',
      requestParams: { query: FiguresQuery },
      responses: { '200': { description: 'CSV.', content: { 'text/csv': { schema: z.string() } } }, default: refused },
    },
  },
  '/v1/alerts': {
    get: {
      operationId: 'listAlerts',
      summary: 'Alerts that fire or have fired, and the rules in force',
      responses: answer(AlertList, 'Those that fire first.'),
    },
  },
  '/v1/alerts/rules/{name}': {
    put: {
      operationId: 'setAlertRule',
      summary: 'Set a rule of the space, or change it',
      requestParams: { path: z.object({ name: RuleName }) },
      requestBody: { content: json(WrittenRule.meta({ id: 'NewAlertRule' })), required: true },
      responses: answer(AlertRuleView, 'As it is in force now.'),
    },
    delete: {
      operationId: 'removeAlertRule',
      summary: 'Take a rule away; what holds by it is over',
      requestParams: { path: z.object({ name: RuleName }) },
      responses: { '204': { description: 'It is gone.' }, default: refused },
    },
  },
  '/v1/quarantine': {
    get: {
      operationId: 'listQuarantine',
      summary: 'Items that could not be processed, newest first',
      requestParams: { query: QuarantineQuery },
      responses: answer(QuarantineList, 'A page.'),
    },
  },
  '/v1/quarantine/{id}': {
    get: {
      operationId: 'getQuarantined',
      summary: 'One item, with its payload',
      requestParams: { path: z.object({ id: z.string() }) },
      responses: answer(QuarantinedItemFull, 'The item.'),
    },
    delete: {
      operationId: 'dropQuarantined',
      summary: 'Remove an item; it is not processed',
      requestParams: { path: z.object({ id: z.string() }) },
      responses: { '204': { description: 'Removed.' }, default: refused },
    },
  },
  '/v1/quarantine/{id}/retry': {
    post: {
      operationId: 'retryQuarantined',
      summary: 'Put an item back into the queue of its worker',
      requestParams: { path: z.object({ id: z.string() }) },
      responses: { '202': { description: 'It is tried again.', content: json(QuarantinedItem) }, default: refused },
    },
  },
} as const;
