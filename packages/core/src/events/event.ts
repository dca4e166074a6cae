import { FACT_KINDS, type Cause, type FactSource, type HitDetails } from '../delivery/index.js';

/** Events that are about no delivery, with the part of their CloudEvents type after "verbalis."; its first word names the schema of their data. */
const OTHER_TYPES = {
  'provider-trouble': 'provider.trouble',
  'provider-recovered': 'provider.recovered',
  'alert-firing': 'alert.firing',
  'alert-resolved': 'alert.resolved',
  'domain-changed': 'domain.changed',
  'sender-confirmed': 'sender.confirmed',
  'bulk-send-ended': 'bulk-send.ended',
  'schedule-failed': 'schedule.failed',
  'signal-refused': 'signal.refused',
  received: 'inbound.received',
  'topic-left': 'topic.left',
  'topic-rejoined': 'topic.rejoined',
  'unaligned-source': 'source.unaligned',
  audited: 'audit.recorded',
  test: 'test',
} as const;
type OtherKind = keyof typeof OTHER_TYPES;
type FirstWord<Type extends string> = Type extends `${infer Word}.${string}` ? Word : Type;

/** Kinds of events that are about no delivery. */
export const ABOUT_NO_DELIVERY = Object.keys(OTHER_TYPES) as OtherKind[];
/** What an event is about, in a word. */
export const EVENT_KINDS: readonly EventKind[] = [...FACT_KINDS, ...ABOUT_NO_DELIVERY];
export type EventKind = (typeof FACT_KINDS)[number] | OtherKind;
export type EventSchemaName = 'delivery' | FirstWord<(typeof OTHER_TYPES)[OtherKind]>;

/** What is known of a fact's delivery when its event is made. */
export interface EventInput {
  /** The fact's id: one fact is always the same event. */
  readonly id: string;
  readonly space: string;
  readonly kind: EventKind;
  /** Milliseconds since the epoch. */
  readonly at: number;
  readonly fact?: {
    readonly source: FactSource;
    readonly cause: Cause | undefined;
    readonly status: string | undefined;
    readonly replyCode: number | undefined;
    readonly diagnostic: string | undefined;
    readonly details?: HitDetails | undefined;
    readonly deliveryId: string;
    readonly messageId: string;
    readonly address: string;
    readonly domain: string;
    readonly provider: string | undefined;
    readonly template: string;
    readonly topic: string | undefined;
    readonly locale: string;
    readonly edition: number;
    readonly subject: string;
    readonly reference: string | undefined;
    readonly labels: Readonly<Record<string, string>>;
  };
  /** The trace that the message belongs to (W3C Trace Context). */
  readonly traceparent?: string | undefined;
  readonly tracestate?: string | undefined;
  /** What an event that is about no delivery reports. */
  readonly data?: Readonly<Record<string, unknown>>;
}

/** An event as CloudEvents 1.0 writes it in structured JSON. */
export interface CloudEvent {
  readonly specversion: '1.0';
  readonly id: string;
  readonly source: string;
  readonly type: string;
  readonly subject?: string;
  readonly time: string;
  readonly datacontenttype: 'application/json';
  readonly dataschema: string;
  /** Events of one delivery have the same one, and come in order (CloudEvents partitioning extension). */
  readonly partitionkey?: string;
  /** CloudEvents distributed tracing extension. */
  readonly traceparent?: string;
  readonly tracestate?: string;
  readonly data: Readonly<Record<string, unknown>>;
}

function isOther(kind: EventKind): kind is OtherKind {
  return kind in OTHER_TYPES;
}

/** The CloudEvents type of a kind of event. */
export function typeOf(kind: EventKind): string {
  return `verbalis.${isOther(kind) ? OTHER_TYPES[kind] : `delivery.${kind}`}`;
}

/** The document that describes the data of a kind of event. */
export function schemaNameOf(kind: EventKind): EventSchemaName {
  if (!isOther(kind)) return 'delivery';
  return OTHER_TYPES[kind].split('.')[0] as EventSchemaName;
}

/**
 * The event of a fact (CloudEvents 1.0, JSON format). The same input gives the same event, whenever it is made.
 * @param base where the service is reached, for the address of the schema; without one, a name stands for it
 */
export function eventOf({ id, space, kind, at, fact, data, traceparent, tracestate }: EventInput, base?: string): CloudEvent {
  const schema = schemaNameOf(kind);
  const shared = {
    specversion: '1.0' as const,
    id,
    source: `urn:verbalis:space:${space}`,
    type: typeOf(kind),
    time: new Date(at).toISOString(),
    datacontenttype: 'application/json' as const,
    dataschema: base === undefined ? `urn:verbalis:schema:${schema}` : `${base}/v1/events/schemas/${schema}`,
  };
  if (fact === undefined) return { ...shared, data: { space, ...data } };
  const { deliveryId, details, ...rest } = fact;
  // Fields that are not known are left out, so that a consumer never reads null.
  const known = Object.fromEntries(Object.entries(rest).filter(([, value]) => value !== undefined && value !== ''));
  return {
    ...shared,
    subject: deliveryId,
    partitionkey: deliveryId,
    ...(traceparent === undefined ? {} : { traceparent }),
    ...(tracestate === undefined ? {} : { tracestate }),
    data: { space, kind, messageId: fact.messageId, deliveryId, ...known, ...details, labels: fact.labels },
  };
}

/** The fields that filters, alerts and figures look at. */
export type EventFields = Readonly<Record<string, string | number | undefined>> & { readonly type: EventKind };

/** An event as a filter sees it: flat, labels as "labels.NAME". */
export function fieldsOf({ space, kind, fact, data }: EventInput): EventFields {
  const out: Record<string, string | number | undefined> = { space };
  if (fact !== undefined) {
    const { labels, details, ...rest } = fact;
    Object.assign(out, rest);
    if (details !== undefined) {
      const { link, ...how } = details;
      Object.assign(out, how, { block: link?.block });
      for (const [name, value] of Object.entries({ url: link?.url, label: link?.label, index: link?.index })) out[`link.${name}`] = value;
    }
    for (const [name, value] of Object.entries(labels)) out[`labels.${name}`] = value;
  }
  for (const [name, value] of Object.entries(data ?? {})) if (typeof value === 'string' || typeof value === 'number') out[name] = value;
  return { ...out, type: kind };
}
