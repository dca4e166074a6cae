import { createHash } from 'node:crypto';
import type { Cause } from '../delivery/index.js';
import { sourceAt, type Call, contextOf } from './call.js';
import type { ProfileFaults } from './faults.js';
import { compilePath } from './paths.js';
import { compileProfilePattern } from './patterns.js';
import type { Callbacks, EventMeaning } from './schema-callbacks.js';
import { timeOf } from './signature.js';
import { asText, type CompiledSource, type SourceContext, type SourceKind } from './sources.js';
import { UnreadableContent } from './contents.js';

/** An event of a provider's, in our words. */
export interface CallbackEvent {
  /** The provider's id of the event, or a hash of what it says. */
  readonly id: string;
  /** As the provider says it. */
  readonly type: string;
  /** Undefined for a word that the profile does not know. */
  readonly meaning: EventMeaning | undefined;
  /** Where the profile says why. */
  readonly cause: Cause | undefined;
  readonly mail: string | undefined;
  readonly delivery: string | undefined;
  readonly messageId: string | undefined;
  readonly address: string | undefined;
  /** Milliseconds since the epoch. */
  readonly at: number | undefined;
  readonly status: string | undefined;
  readonly replyCode: number | undefined;
  readonly reason: string | undefined;
  /** The link that was followed. */
  readonly url: string | undefined;
  /** The event as it came. */
  readonly source: unknown;
}

/** An event as it is in its call, with the values that stand elsewhere in the call. It is JSON, so that it can be kept and read later. */
export interface RawEvent {
  readonly event: unknown;
  readonly given: Readonly<Record<string, string>>;
}

const FIELD_NAMES = ['id', 'mail', 'delivery', 'messageId', 'address', 'at', 'status', 'code', 'reason', 'url'] as const;
type FieldName = (typeof FIELD_NAMES)[number];
const KINDS: readonly SourceKind[] = ['here', 'outer', 'call', 'header', 'query'];
/** In milliseconds since the epoch. */
const LAST_DATE = 8.64e15;
const MOST_TEXT = 2000;

export interface ReadEvents {
  /** Where the type of an event is looked for. */
  readonly types: readonly string[];
  /** The events of a call, as they stand. @throws UnreadableContent where there is nothing where the profile looks for them */
  readonly raw: (call: Call, inside: unknown) => readonly RawEvent[];
  /** Reads one of them. What is not an event is one of an unknown type. Never throws. */
  readonly read: (raw: RawEvent) => CallbackEvent;
}

interface Meant {
  readonly means: EventMeaning;
  readonly cause: Cause | undefined;
}

/** Looks words up: as they are, by pattern, then the one for all others. */
function wordsOf(words: Callbacks['words'], faults: ProfileFaults): (type: string) => Meant | undefined {
  const exact = new Map<string, Meant>();
  const patterns: { readonly test: (text: string) => boolean; readonly meant: Meant }[] = [];
  let others: Meant | undefined;
  for (const [word, value] of Object.entries(words)) {
    const meant: Meant = typeof value === 'string' ? { means: value, cause: undefined } : { means: value.means, cause: value.cause };
    if (word === '*') others = meant;
    else if (/^\/.+\/$/s.test(word)) {
      const pattern = compileProfilePattern(word.slice(1, -1));
      if (typeof pattern === 'string') faults.add(`callbacks.words.${word}`, pattern);
      else patterns.push({ test: pattern.test, meant });
    } else exact.set(word.toLowerCase(), meant);
  }
  return (type) => exact.get(type.toLowerCase()) ?? patterns.find(({ test }) => test(type))?.meant ?? others;
}

function eventTime(text: string | undefined): number | undefined {
  if (text === undefined) return undefined;
  const at = timeOf(text);
  // Only what is a date (ECMA-262 21.4.1.1) and not before there was mail: nothing else can be shown or sorted by anyone.
  return Number.isFinite(at) && at >= 0 && at <= LAST_DATE ? Math.round(at) : undefined;
}

/** Everything at a path; the entries of a list that it leads to. */
function listed(found: readonly unknown[]): readonly unknown[] {
  const [only] = found;
  return found.length === 1 && Array.isArray(only) ? (only as unknown[]) : found;
}

/** Compiles how events are found in a call and read. */
export function readEvents(callbacks: Callbacks, faults: ProfileFaults): ReadEvents {
  const { fields, events, within } = callbacks;
  const source = (written: string | undefined, path: string): CompiledSource | undefined =>
    sourceAt(written, path, { kinds: KINDS, faults });
  const types = [fields.type]
    .flat()
    .map((written, i) => source(written, `callbacks.fields.type${Array.isArray(fields.type) ? `.${i}` : ''}`));
  const byField = new Map<FieldName, CompiledSource>();
  for (const name of FIELD_NAMES) {
    const compiled = source(fields[name], `callbacks.fields.${name}`);
    if (compiled !== undefined) byField.set(name, compiled);
  }
  if (within === undefined)
    for (const [name, { kind }] of byField)
      if (kind === 'outer') faults.add(`callbacks.fields.${name}`, 'reads from "outer:", but there is no callbacks.within.');
  const compiledPath = (text: string, path: string) => {
    const compiled = compilePath(text);
    if (typeof compiled === 'string') faults.add(path, compiled);
    return typeof compiled === 'string' ? undefined : compiled;
  };
  const outerPath = compiledPath(events, 'callbacks.events');
  const innerPath = within === undefined ? undefined : compiledPath(within, 'callbacks.within');
  // "$.events[*]" of an empty list finds nothing, and that is no fault.
  const listPath = /^(.+)\[\*\]$/.exec(events)?.[1];
  const list = listPath === undefined ? undefined : compilePath(listPath);
  const meaningOf = wordsOf(callbacks.words, faults);

  /** Values that do not stand in the event itself. */
  const elsewhere: readonly (readonly [name: string, source: CompiledSource])[] = [
    ...types.flatMap((compiled, i) => (compiled !== undefined && compiled.kind !== 'here' ? [[`type${i}`, compiled] as const] : [])),
    ...[...byField].filter(([, { kind }]) => kind !== 'here'),
  ];
  const givenBy = (context: SourceContext): Readonly<Record<string, string>> =>
    Object.fromEntries(
      elsewhere.flatMap(([name, compiled]) => {
        const text = asText(compiled.read(context));
        return text === undefined ? [] : [[name, text.slice(0, MOST_TEXT)]];
      }),
    );

  const raw = (call: Call, inside: unknown): readonly RawEvent[] => {
    const found = outerPath?.all(inside) ?? [];
    if (found.length === 0 && !(typeof list === 'object' && list.all(inside).some(Array.isArray)))
      throw new UnreadableContent(`The path "${events}" finds nothing in this call.`);
    const context: SourceContext = { ...contextOf(call, undefined), call: inside };
    return listed(found).flatMap((outer): readonly RawEvent[] => {
      if (innerPath === undefined) return [{ event: outer, given: givenBy(context) }];
      const inner = { ...context, outer };
      const given = givenBy(inner);
      return listed(innerPath.all(outer)).map((event) => ({ event, given }));
    });
  };

  const read = ({ event, given }: RawEvent): CallbackEvent => {
    const textAt = (name: FieldName): string | undefined => {
      const compiled = byField.get(name);
      if (compiled === undefined) return undefined;
      return compiled.kind === 'here' ? asText(compiled.read({ here: event })) : given[name];
    };
    const type = types
      .map((compiled, i) =>
        compiled === undefined ? '' : compiled.kind === 'here' ? (asText(compiled.read({ here: event })) ?? '') : (given[`type${i}`] ?? ''),
      )
      .join(' ')
      .trim()
      .slice(0, MOST_TEXT);
    const meant = meaningOf(type);
    const code = /(?<!\d)([245]\d\d)(?!\d)/.exec(textAt('code') ?? '')?.[1];
    return {
      id:
        textAt('id') ??
        createHash('sha256')
          .update(JSON.stringify([event]))
          .update(JSON.stringify(given))
          .digest('hex'),
      type,
      meaning: type === '' ? undefined : meant?.means,
      cause: meant?.cause,
      mail: textAt('mail'),
      delivery: textAt('delivery'),
      messageId: textAt('messageId')?.replace(/^<|>$/g, ''),
      address: textAt('address'),
      at: eventTime(textAt('at')),
      status: /[245]\.\d{1,3}\.\d{1,3}/.exec(textAt('status') ?? '')?.[0],
      replyCode: code === undefined ? undefined : Number(code),
      reason: textAt('reason')?.slice(0, MOST_TEXT),
      url: textAt('url')?.slice(0, MOST_TEXT),
      source: event,
    };
  };
  return { types: [fields.type].flat(), raw, read };
}
