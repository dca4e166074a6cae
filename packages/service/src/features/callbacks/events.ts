import { createHash } from 'node:crypto';
import { JSONPath } from 'jsonpath-plus';
import type { Callbacks, EventMeaning } from '../providers/index.js';

/** An event of a provider's, in our words. */
export interface CallbackEvent {
  /** The provider's id of the event, or a hash of what it says. */
  readonly id: string;
  /** As the provider says it. */
  readonly type: string;
  /** Undefined for a word that the profile does not know. */
  readonly meaning: EventMeaning | undefined;
  readonly mail: string | undefined;
  readonly delivery: string | undefined;
  readonly messageId: string | undefined;
  readonly address: string | undefined;
  /** Milliseconds since the epoch. */
  readonly at: number | undefined;
  readonly status: string | undefined;
  readonly replyCode: number | undefined;
  readonly reason: string | undefined;
  /** The event as it came. */
  readonly source: unknown;
}

/** In milliseconds since the epoch. */
const LAST_DATE = 8.64e15;

type Getter = (event: unknown) => unknown;

const getters = new Map<string, Getter>();

/** A path of names and numbers is walked; anything more is left to the library. */
function getterOf(path: string): Getter {
  let getter = getters.get(path);
  if (getter === undefined) {
    const steps = /^\$(?:\.[A-Za-z_][\w-]*|\[\d+\]|\['[^'\]]+'\])*$/.test(path)
      ? [...path.slice(1).matchAll(/\.([A-Za-z_][\w-]*)|\[(\d+)\]|\['([^'\]]+)'\]/g)].map(
          ([, name, index, quoted]) => name ?? quoted ?? Number(index),
        )
      : undefined;
    getter =
      steps === undefined
        ? (event) => allAt(event, path)[0]
        : (event) => {
            let at: unknown = event;
            for (const step of steps) {
              if (typeof at !== 'object' || at === null || !Object.hasOwn(at, step)) return undefined;
              at = (at as Record<string | number, unknown>)[step];
            }
            return at;
          };
    getters.set(path, getter);
  }
  return getter;
}

function textAt(event: unknown, path: string | undefined): string | undefined {
  if (path === undefined) return undefined;
  const value = getterOf(path)(event);
  if (value === undefined || value === null || value === '') return undefined;
  return typeof value === 'string' ? value : JSON.stringify(value);
}

function timeAt(event: unknown, path: string | undefined): number | undefined {
  const text = textAt(event, path);
  if (text === undefined) return undefined;
  const number = Number(text);
  const at = Number.isFinite(number) ? (number < 1e11 ? number * 1000 : number) : Date.parse(text);
  // Only what is a date (ECMA-262 21.4.1.1) and not before there was mail: nothing else can be shown or sorted by anyone.
  return Number.isFinite(at) && at >= 0 && at <= LAST_DATE ? Math.round(at) : undefined;
}

/** The events in the body of a call, as they stand. @throws when there is nothing where the profile looks for them */
export function rawEvents(callbacks: Callbacks, body: unknown): unknown[] {
  const { events: path } = callbacks;
  if (path === '$') return Array.isArray(body) ? (body as unknown[]) : [body];
  const found = allAt(body, path);
  // "$.events" gives the list itself, "$.events[*]" its entries; of an empty list there are none.
  if (found.length === 1 && Array.isArray(found[0])) return found[0] as unknown[];
  const list = /^(.+)\[\*\]$/.exec(path)?.[1];
  if (found.length === 0 && (list === undefined || !allAt(body, list).some(Array.isArray)))
    throw new Error(`The path "${path}" finds nothing in this call.`);
  return found;
}

/** Everything at a path. */
function allAt(body: unknown, path: string): unknown[] {
  if (typeof body !== 'object' || body === null) return [];
  // Of an empty list the library gives nothing at all.
  return JSONPath<unknown[] | undefined>({ path, json: body, wrap: true, eval: false }) ?? [];
}

/** Reads one raw event by a profile. What is not an event is one of an unknown type. @throws when a path of the profile cannot be evaluated */
export function eventOf({ fields, words }: Callbacks, source: unknown): CallbackEvent {
  const type = [fields.type]
    .flat()
    .map((path) => textAt(source, path) ?? '')
    .join(' ')
    .trim();
  const status = textAt(source, fields.status);
  const code = /(?<!\d)([245]\d\d)(?!\d)/.exec(textAt(source, fields.code) ?? '')?.[1];
  return {
    id: textAt(source, fields.id) ?? createHash('sha256').update(JSON.stringify(source)).digest('hex'),
    type,
    meaning: Object.hasOwn(words, type) ? words[type] : undefined,
    mail: textAt(source, fields.mail),
    delivery: textAt(source, fields.delivery),
    messageId: textAt(source, fields.messageId)?.replace(/^<|>$/g, ''),
    address: textAt(source, fields.address),
    at: timeAt(source, fields.at),
    status: status === undefined ? undefined : /[245]\.\d{1,3}\.\d{1,3}/.exec(status)?.[0],
    replyCode: code === undefined ? undefined : Number(code),
    reason: textAt(source, fields.reason)?.slice(0, 2000),
    source,
  };
}

/** Reads all events of a call. */
export function eventsOf(callbacks: Callbacks, body: unknown): CallbackEvent[] {
  return rawEvents(callbacks, body).map((source) => eventOf(callbacks, source));
}
