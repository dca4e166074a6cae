import {
  isArgumentElement,
  isDateElement,
  isNumberElement,
  isPluralElement,
  isSelectElement,
  isTagElement,
  isTimeElement,
  parse,
  type MessageFormatElement,
} from '@formatjs/icu-messageformat-parser';
import { memo } from '../formats/index.js';
import { compileMessage } from './message.js';
import { EMPHASIS, hasTags } from './rich.js';
import { depthOf, didYouMean, duplicateKeys, jsonFault, MAX_DEPTH, problem, SourceText, warning, type Problem } from '../problems/index.js';

/** How a text uses a value: as it stands, as a number, as a date, to choose between variants, or as the address of a link. */
export type SayUse = 'text' | 'number' | 'date' | 'choice' | 'link';

/** Short translated texts of a mail folder: ICU messages by key and locale. */
export interface Strings {
  /** By locale, then by key ("greeting", or "booking.greeting" for a nested one). */
  readonly byLocale: ReadonlyMap<string, ReadonlyMap<string, string>>;
  /** The values that a key's text takes, with their uses over all its locales. */
  readonly names: ReadonlyMap<string, ReadonlyMap<string, ReadonlySet<SayUse>>>;
  /** Keys whose text has emphasis or links in some locale. */
  readonly rich: ReadonlySet<string>;
  readonly problems: readonly Problem[];
}

export interface StringsFile {
  readonly locale: string;
  readonly file: string;
  readonly text: string;
}

type Uses = Map<string, Set<SayUse>>;

function argumentsIn(elements: readonly MessageFormatElement[], out: Uses): void {
  const add = (name: string, use: SayUse): void => {
    const uses = out.get(name) ?? new Set<SayUse>();
    out.set(name, uses.add(use));
  };
  for (const element of elements) {
    if (isArgumentElement(element)) add(element.value, 'text');
    else if (isNumberElement(element)) add(element.value, 'number');
    else if (isDateElement(element) || isTimeElement(element)) add(element.value, 'date');
    else if (isTagElement(element)) {
      if (!EMPHASIS.includes(element.value)) add(element.value, 'link');
      argumentsIn(element.children, out);
    } else if (isPluralElement(element) || isSelectElement(element)) {
      add(element.value, isPluralElement(element) ? 'number' : 'choice');
      for (const option of Object.values(element.options)) argumentsIn(option.value, out);
    }
  }
}

/** The plural categories, in the order of the CLDR: versions of ICU list them differently. */
const CATEGORIES = ['zero', 'one', 'two', 'few', 'many', 'other'];

/** Plural categories of a locale that a text has no form for ("few" in Polish): the text shows its "other" form there. */
function missingForms(elements: readonly MessageFormatElement[], locale: string): string[] {
  const out = new Set<string>();
  const walk = (list: readonly MessageFormatElement[]): void => {
    for (const element of list) {
      if (isTagElement(element)) walk(element.children);
      if (!isPluralElement(element) && !isSelectElement(element)) continue;
      if (isPluralElement(element)) {
        const type = element.pluralType ?? 'cardinal';
        for (const category of new Intl.PluralRules(locale, { type }).resolvedOptions().pluralCategories)
          // Large round numbers have a form of their own in some languages; texts about counts rarely need it.
          if (category !== 'many' || !['fr', 'es', 'it', 'pt', 'ca'].includes(new Intl.Locale(locale).language))
            if (!Object.hasOwn(element.options, category) && !covered(element.options, category, locale)) out.add(category);
      }
      for (const option of Object.values(element.options)) walk(option.value);
    }
  };
  walk(elements);
  return CATEGORIES.filter((category) => out.has(category));
}

/** A category of few numbers is covered by "=1" and the like as well; zero needs a form only if the text has "=0". */
function covered(options: Readonly<Record<string, unknown>>, category: string, locale: string): boolean {
  const rules = new Intl.PluralRules(locale);
  const numbers = Array.from({ length: 200 }, (_, n) => n).filter((n) => rules.select(n) === category);
  return numbers.length > 0 && numbers.every((n) => n === 0 || Object.hasOwn(options, `=${n}`));
}

function flatten(value: unknown, path: string, out: Map<string, string>, wrong: string[]): void {
  if (typeof value === 'string') out.set(path, value);
  else if (typeof value === 'object' && value !== null && !Array.isArray(value)) {
    for (const [key, inner] of Object.entries(value)) flatten(inner, path === '' ? key : `${path}.${key}`, out, wrong);
  } else wrong.push(path);
}

type Read = { readonly uses: Uses; readonly missing: readonly string[] } | { readonly fault: string };

/** What a text takes, and what is wrong with it. A folder is read again at every change, and most of its texts are as they were. */
const readMessage = memo((locale: string, message: string): Read => {
  const found: Uses = new Map();
  try {
    const elements = parse(message, { ignoreTag: !hasTags(message) });
    argumentsIn(elements, found);
    // What only formatting finds out: a unit or a pattern of dates that there is not.
    compileMessage(message, locale, 'UTC')(exampleValues(found));
    return { uses: found, missing: missingForms(elements, locale) };
  } catch (error) {
    return { fault: error instanceof Error ? error.message.replaceAll('_', ' ').toLowerCase() : 'unreadable' };
  }
}, 20_000);

/** One file of `strings/`, read. */
interface LocaleTexts {
  readonly source: SourceText;
  readonly texts: Map<string, string>;
  /** What each text takes. */
  readonly uses: Map<string, Uses>;
}

/** Reads the files of `strings/`. `own` is the folder's own locale: what it has and another lacks is untranslated. */
export function readStrings(files: readonly StringsFile[], own: string): Strings {
  const problems: Problem[] = [];
  const read = new Map<string, LocaleTexts>();
  for (const file of files) {
    const texts = readFile(file, problems);
    if (texts !== undefined) read.set(file.locale, texts);
  }
  const base = read.get(own);
  if (base !== undefined) {
    for (const [locale, texts] of read) {
      if (locale !== own) problems.push(...compareTexts({ ...texts, locale }, { ...base, locale: own }));
    }
  }
  const rich = new Set([...read.values()].flatMap(({ texts }) => [...texts].flatMap(([key, text]) => (hasTags(text) ? [key] : []))));
  return { byLocale: new Map([...read].map(([locale, { texts }]) => [locale, texts])), names: valueNames(read, own), rich, problems };
}

function readFile({ locale, file, text }: StringsFile, problems: Problem[]): LocaleTexts | undefined {
  const source = new SourceText(file, text);
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch {
    const fault = jsonFault(text);
    problems.push(problem('json', source.place(fault.offset, fault.length), `This is not valid JSON: ${fault.message}.`));
    return undefined;
  }
  if (depthOf(json) > MAX_DEPTH) {
    problems.push(problem('nesting', source.place(0), `This file nests deeper than ${MAX_DEPTH} levels.`));
    return undefined;
  }
  for (const { name, offset, length } of duplicateKeys(text))
    problems.push(
      warning('string-twice', source.place(offset, length), `"${name}" is defined twice; the last one counts.`, 'Delete one of them.'),
    );
  const texts = new Map<string, string>();
  const wrong: string[] = [];
  flatten(json, '', texts, wrong);
  for (const key of wrong) problems.push(problem('string-type', placeOf(source, key), `"${key}" must be a text.`));
  const uses = new Map<string, Uses>();
  for (const [key, message] of texts) {
    const read = readMessage(locale, message);
    if ('fault' in read) {
      texts.delete(key);
      problems.push(
        problem(
          'icu',
          placeOf(source, key),
          `The text of "${key}" is no ICU message: ${read.fault}.`,
          "Braces mean a value; put a literal brace in apostrophes: '{'.",
        ),
      );
      continue;
    }
    uses.set(key, read.uses);
    if (read.missing.length > 0)
      problems.push(
        warning(
          'plural-forms',
          placeOf(source, key),
          `The text of "${key}" has no form for ${read.missing.map((category) => `"${category}"`).join(', ')}, which ${locale} tells apart.`,
          'Numbers of that kind are said with "other".',
        ),
      );
  }
  return { source, texts, uses };
}

/** What a language lacks, has too much, or takes from the data though the folder's own language does not. */
function compareTexts(
  { source, texts, uses, locale }: LocaleTexts & { readonly locale: string },
  base: LocaleTexts & { readonly locale: string },
): Problem[] {
  const problems: Problem[] = [];
  for (const key of base.texts.keys()) {
    if (!texts.has(key))
      problems.push(warning('untranslated', source.place(0), `"${key}" has no text in ${locale}; readers get the one of ${base.locale}.`));
  }
  for (const key of texts.keys()) {
    if (!base.texts.has(key)) {
      problems.push(
        warning('string-unknown', placeOf(source, key), `"${key}" is not in ${base.locale}.`, didYouMean(key, base.texts.keys())),
      );
      continue;
    }
    // The text in the folder's own locale says which values there are.
    const wanted = base.uses.get(key);
    const strange = [...(uses.get(key)?.keys() ?? [])].filter((name) => wanted?.has(name) === false);
    if (strange.length > 0)
      problems.push(
        problem(
          'string-value',
          placeOf(source, key),
          `The text of "${key}" takes "${strange.join('", "')}", and its text in ${base.locale} does not.`,
          didYouMean(strange[0] ?? '', wanted?.keys() ?? []),
        ),
      );
  }
  return problems;
}

/** The values that each key takes over all languages. Where the folder's own language has a text, it says which there are. */
function valueNames(read: ReadonlyMap<string, LocaleTexts>, own: string): Map<string, Uses> {
  const names = new Map<string, Uses>();
  const base = read.get(own)?.uses;
  for (const { uses } of read.values()) {
    for (const [key, values] of uses) {
      const known = base?.get(key);
      const all = names.get(key) ?? new Map<string, Set<SayUse>>();
      for (const [name, its] of values)
        if (known === undefined || known.has(name)) all.set(name, new Set([...(all.get(name) ?? []), ...its]));
      names.set(key, all);
    }
  }
  return names;
}

/** Values of the right kind for a text, to find out whether it can be formatted at all. */
function exampleValues(uses: Uses): Record<string, unknown> {
  return Object.fromEntries(
    [...uses].map(([name, its]) => [name, its.has('number') ? 1 : its.has('date') ? '2026-06-04T08:15:00Z' : 'other']),
  );
}

function placeOf(source: SourceText, key: string): ReturnType<SourceText['place']> {
  const name = `"${key.slice(key.lastIndexOf('.') + 1)}"`;
  return source.place(Math.max(0, source.text.indexOf(name)), name.length);
}

const canonical = memo((tag: string): { readonly tag: string | undefined } => {
  try {
    return { tag: Intl.getCanonicalLocales(tag)[0] };
  } catch {
    return { tag: undefined };
  }
});

/** A tag as BCP 47 writes it ("pt-BR" for "PT-br"); undefined for an invalid one. */
export function canonicalLocale(tag: string): string | undefined {
  return canonical(tag).tag;
}

/** Names of languages and regions (CLDR); undefined for a code that stands for none. */
const known = (type: 'language' | 'region'): Intl.DisplayNames => new Intl.DisplayNames('en', { type, fallback: 'none' });
const [languages, regions] = [known('language'), known('region')];

/** What is wrong with a locale tag, in words; undefined for one that is well formed and names a language that exists. */
export function localeFault(tag: string): string | undefined {
  const sound = canonicalLocale(tag);
  if (sound !== undefined) {
    // "und" has no language there, which the types do not say.
    const [language = ''] = sound.split('-');
    const { region } = new Intl.Locale(sound);
    // Rare languages have codes of three letters and no name here.
    if (language.length !== 3 && languages.of(language) === undefined) return `is not a known locale: there is no language "${language}"`;
    if (region !== undefined && regions.of(region) === undefined) return `is not a known locale: there is no region "${region}"`;
    return undefined;
  }
  const meant = canonicalLocale(tag.replaceAll('_', '-'));
  return meant === undefined ? 'must be a BCP 47 tag such as "en" or "pt-BR"' : `must be a BCP 47 tag: did you mean "${meant}"?`;
}

/** Locale tags to look in, best first (RFC 4647 3.4): "fr-CA", "fr", then the folder's own. Case does not count (BCP 47 2.1.1). */
export function lookUp(locale: string | undefined, own: string): string[] {
  const out: string[] = [];
  for (
    let tag = locale === undefined ? undefined : (canonicalLocale(locale) ?? locale);
    tag !== undefined && tag !== '';
    tag = tag.includes('-') ? tag.slice(0, tag.lastIndexOf('-')) : undefined
  )
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
