import {
  isArgumentElement,
  isDateElement,
  isLiteralElement,
  isPluralElement,
  isPoundElement,
  isSelectElement,
  isTagElement,
  isTimeElement,
  parse,
  type MessageFormatElement,
  type PluralElement,
} from '@formatjs/icu-messageformat-parser';
import { IntlMessageFormat } from 'intl-messageformat';
import { instantOf, memo } from '../formats/index.js';
import { hasTags, marked, unmarked } from './rich.js';

type Values = Readonly<Record<string, unknown>>;
/** A message, or a piece of it, as a function; undefined for values that only the library's formatter knows. */
type Plain = (values: Values) => string | undefined;
type Formats = NonNullable<ConstructorParameters<typeof IntlMessageFormat>[2]>;

/** ICU's named styles of dates and times, in a time zone. */
function formatsIn(timeZone: string): Formats {
  return {
    date: {
      short: { month: 'numeric', day: 'numeric', year: '2-digit', timeZone },
      medium: { month: 'short', day: 'numeric', year: 'numeric', timeZone },
      long: { month: 'long', day: 'numeric', year: 'numeric', timeZone },
      full: { weekday: 'long', month: 'long', day: 'numeric', year: 'numeric', timeZone },
    },
    time: {
      short: { hour: 'numeric', minute: 'numeric', timeZone },
      medium: { hour: 'numeric', minute: 'numeric', second: 'numeric', timeZone },
    },
  };
}

/** An ICU message ready to be filled in. Dates come as RFC 3339 texts, as in all data. */
export function compileMessage(text: string, locale: string, timeZone: string): (values: Values) => string {
  const isRich = hasTags(text);
  const elements = parse(text, { ignoreTag: !isRich });
  const tags = isRich ? tagsIn(elements) : [];
  const dates = new Set<string>();
  datesIn(elements, dates);
  const made = (zone: string): IntlMessageFormat => new IntlMessageFormat(elements, locale, formatsIn(zone), { ignoreTag: !isRich });
  let own: IntlMessageFormat | undefined;
  let utc: IntlMessageFormat | undefined;
  const inUtc = (): IntlMessageFormat => (utc ??= made('UTC'));
  const plain = compilePlain(elements, locale);
  return (values) => {
    const said = plain?.(values);
    if (said !== undefined) return said;
    const given: Record<string, string | number | boolean | Date | ((chunks: unknown[]) => string)> = {};
    for (const [name, value] of Object.entries(values)) {
      given[name] =
        dates.has(name) && typeof value === 'string' ? new Date(instantOf(value)) : ((isRich ? unmarked(value) : value) as string | number);
    }
    for (const tag of tags) given[tag] = (chunks) => marked(tag, chunks.join(''));
    // A calendar date has no zone: it is shown as it is, wherever the mail goes.
    const isCalendar = [...dates].some((name) => /^\d{4}-\d\d-\d\d$/.test(String(values[name])));
    const formatted = (isCalendar ? inUtc() : (own ??= made(timeZone))).format(given);
    return typeof formatted === 'string' ? formatted : String(formatted);
  };
}

const counts = memo((locale: string) => new Intl.NumberFormat(locale));
const rules = memo((locale: string, type: string) => new Intl.PluralRules(locale, { type: type as 'cardinal' | 'ordinal' }));

/** A message of texts, values as they stand, plurals and choices, which most are. Undefined for one with dates, numbers or tags. */
function compilePlain(elements: readonly MessageFormatElement[], locale: string, counted?: PluralElement): Plain | undefined {
  const parts: Plain[] = [];
  for (const element of elements) {
    const part = compileElement(element, locale, counted);
    if (part === undefined) return undefined;
    parts.push(part);
  }
  const [only] = parts;
  if (parts.length === 1 && only !== undefined) return only;
  return (values) => {
    let said = '';
    for (const part of parts) {
      const piece = part(values);
      if (piece === undefined) return undefined;
      said += piece;
    }
    return said;
  };
}

function compileElement(element: MessageFormatElement, locale: string, counted: PluralElement | undefined): Plain | undefined {
  if (isLiteralElement(element)) return () => element.value;
  if (isArgumentElement(element)) {
    return (values) => {
      const value = valueOf(values, element.value);
      return typeof value === 'string' ? value : typeof value === 'number' ? String(value) : undefined;
    };
  }
  if (isPoundElement(element)) {
    if (counted === undefined) return undefined;
    return (values) => counts(locale).format((valueOf(values, counted.value) as number) - counted.offset);
  }
  if (isPluralElement(element)) return compilePlural(element, locale);
  if (!isSelectElement(element)) return undefined;
  const options = optionsOf(element.options, locale, undefined);
  if (options === undefined) return undefined;
  return (values) => {
    const value = valueOf(values, element.value);
    return typeof value === 'string' ? (options.get(value) ?? options.get('other'))?.(values) : undefined;
  };
}

/** The form for exactly this number, or for its plural category (Unicode TR 35, part 3, 5.1). */
function compilePlural(element: PluralElement, locale: string): Plain | undefined {
  const options = optionsOf(element.options, locale, element);
  if (options === undefined) return undefined;
  return (values) => {
    const value = valueOf(values, element.value);
    if (typeof value !== 'number') return undefined;
    const exact = options.get(`=${value}`);
    if (exact !== undefined) return exact(values);
    const category = rules(locale, element.pluralType ?? 'cardinal').select(value - element.offset);
    return (options.get(category) ?? options.get('other'))?.(values);
  };
}

function optionsOf(
  options: Readonly<Record<string, { readonly value: readonly MessageFormatElement[] }>>,
  locale: string,
  counted: PluralElement | undefined,
): ReadonlyMap<string, Plain> | undefined {
  const out = new Map<string, Plain>();
  for (const [name, { value }] of Object.entries(options)) {
    const plain = compilePlain(value, locale, counted);
    if (plain === undefined) return undefined;
    out.set(name, plain);
  }
  return out;
}

function valueOf(values: Values, name: string): unknown {
  return Object.hasOwn(values, name) ? values[name] : undefined;
}

/** The tags of a message, each once. */
function tagsIn(elements: readonly MessageFormatElement[], out = new Set<string>()): readonly string[] {
  for (const element of elements) {
    if (isTagElement(element)) {
      out.add(element.value);
      tagsIn(element.children, out);
    }
    if (isPluralElement(element) || isSelectElement(element))
      for (const option of Object.values(element.options)) tagsIn(option.value, out);
  }
  return [...out];
}

function datesIn(elements: readonly MessageFormatElement[], out: Set<string>): void {
  for (const element of elements) {
    if (isDateElement(element) || isTimeElement(element)) out.add(element.value);
    if (isTagElement(element)) datesIn(element.children, out);
    if (isPluralElement(element) || isSelectElement(element))
      for (const option of Object.values(element.options)) datesIn(option.value, out);
  }
}
