import {
  isArgumentElement,
  isDateElement,
  isNumberElement,
  isPluralElement,
  isSelectElement,
  isTimeElement,
  parse,
  type MessageFormatElement,
} from '@formatjs/icu-messageformat-parser';
import { IntlMessageFormat } from 'intl-messageformat';
import { didYouMean, jsonFault, problem, SourceText, warning, type Problem } from '../problems/index.js';

/** Short translated texts of a mail folder: ICU messages by key and locale. */
export interface Strings {
  /** By locale, then by key ("greeting", or "booking.greeting" for a nested one). */
  readonly byLocale: ReadonlyMap<string, ReadonlyMap<string, string>>;
  /** The names that a key's text takes, over all its locales. */
  readonly names: ReadonlyMap<string, readonly string[]>;
  readonly problems: readonly Problem[];
}

export interface StringsFile {
  readonly locale: string;
  readonly file: string;
  readonly text: string;
}

function argumentsIn(elements: readonly MessageFormatElement[], out: Set<string>): void {
  for (const element of elements) {
    if (isArgumentElement(element) || isNumberElement(element) || isDateElement(element) || isTimeElement(element)) out.add(element.value);
    if (isPluralElement(element) || isSelectElement(element)) {
      out.add(element.value);
      for (const option of Object.values(element.options)) argumentsIn(option.value, out);
    }
  }
}

function flatten(value: unknown, path: string, out: Map<string, string>, wrong: string[]): void {
  if (typeof value === 'string') out.set(path, value);
  else if (typeof value === 'object' && value !== null && !Array.isArray(value)) {
    for (const [key, inner] of Object.entries(value)) flatten(inner, path === '' ? key : `${path}.${key}`, out, wrong);
  } else wrong.push(path);
}

/** Reads the files of `strings/`. `own` is the folder's own locale: what it has and another lacks is untranslated. */
export function readStrings(files: readonly StringsFile[], own: string): Strings {
  const problems: Problem[] = [];
  const byLocale = new Map<string, Map<string, string>>();
  const names = new Map<string, Set<string>>();
  const sources = new Map<string, SourceText>();
  for (const { locale, file, text } of files) {
    const source = new SourceText(file, text);
    sources.set(locale, source);
    let json: unknown;
    try {
      json = JSON.parse(text);
    } catch {
      const fault = jsonFault(text);
      problems.push(problem('json', source.place(fault.offset, fault.length), `This is not valid JSON: ${fault.message}.`));
      continue;
    }
    const texts = new Map<string, string>();
    const wrong: string[] = [];
    flatten(json, '', texts, wrong);
    for (const key of wrong) problems.push(problem('string-type', placeOf(source, key), `"${key}" must be a text.`));
    for (const [key, message] of texts) {
      const found = names.get(key) ?? new Set<string>();
      names.set(key, found);
      try {
        argumentsIn(parse(message, { ignoreTag: true }), found);
      } catch (error) {
        texts.delete(key);
        const what = error instanceof Error ? error.message.replaceAll('_', ' ').toLowerCase() : 'unreadable';
        problems.push(
          problem(
            'icu',
            placeOf(source, key),
            `The text of "${key}" is no ICU message: ${what}.`,
            "Braces mean a value; a literal brace stands in apostrophes: '{'.",
          ),
        );
      }
    }
    byLocale.set(locale, texts);
  }
  const base = byLocale.get(own);
  for (const [locale, texts] of byLocale) {
    const source = sources.get(locale);
    if (locale === own || base === undefined || source === undefined) continue;
    for (const key of base.keys()) {
      if (!texts.has(key))
        problems.push(warning('untranslated', source.place(0), `"${key}" has no text in ${locale}; readers get the one of ${own}.`));
    }
    for (const key of texts.keys()) {
      if (!base.has(key))
        problems.push(warning('string-unknown', placeOf(source, key), `"${key}" is not in ${own}.`, didYouMean(key, base.keys())));
    }
  }
  return { byLocale, names: new Map([...names].map(([key, found]) => [key, [...found]])), problems };
}

function placeOf(source: SourceText, key: string): ReturnType<SourceText['place']> {
  const name = `"${key.slice(key.lastIndexOf('.') + 1)}"`;
  return source.place(Math.max(0, source.text.indexOf(name)), name.length);
}

/** Locale tags to look in, best first (RFC 4647 3.4): "fr-CA", "fr", then the folder's own. */
export function lookUp(locale: string | undefined, own: string): string[] {
  const out: string[] = [];
  for (let tag = locale; tag !== undefined && tag !== ''; tag = tag.includes('-') ? tag.slice(0, tag.lastIndexOf('-')) : undefined)
    out.push(tag);
  return out.includes(own) ? out : [...out, own];
}

/** The text of a key in a locale, with the locale it was found in. */
export function textOf(
  strings: Strings,
  key: string,
  locale: string,
  own: string,
): { readonly text: string; readonly locale: string } | undefined {
  for (const tag of lookUp(locale, own)) {
    const text = strings.byLocale.get(tag)?.get(key);
    if (text !== undefined) return { text, locale: tag };
  }
  return undefined;
}

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
export function compileMessage(text: string, locale: string, timeZone: string): (values: Readonly<Record<string, unknown>>) => string {
  const elements = parse(text, { ignoreTag: true });
  const dates = new Set<string>();
  datesIn(elements, dates);
  const format = new IntlMessageFormat(elements, locale, formatsIn(timeZone), { ignoreTag: true });
  return (values) => {
    const given: Record<string, string | number | boolean | Date> = {};
    for (const [name, value] of Object.entries(values)) {
      given[name] = dates.has(name) && typeof value === 'string' ? new Date(value) : (value as string | number);
    }
    const said = format.format(given);
    return typeof said === 'string' ? said : String(said);
  };
}

function datesIn(elements: readonly MessageFormatElement[], out: Set<string>): void {
  for (const element of elements) {
    if (isDateElement(element) || isTimeElement(element)) out.add(element.value);
    if (isPluralElement(element) || isSelectElement(element))
      for (const option of Object.values(element.options)) datesIn(option.value, out);
  }
}
