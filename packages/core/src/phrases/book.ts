import { CAUSES, type Cause } from '../smtp/index.js';
import type { LanguagePhrases, Meaning } from './language.js';
import { AR } from './languages/ar.js';
import { DE } from './languages/de.js';
import { EN } from './languages/en.js';
import { ES } from './languages/es.js';
import { FR } from './languages/fr.js';
import { HU } from './languages/hu.js';
import { IT } from './languages/it.js';
import { JA } from './languages/ja.js';
import { KO } from './languages/ko.js';
import { NL } from './languages/nl.js';
import { PL } from './languages/pl.js';
import { PT } from './languages/pt.js';
import { RU } from './languages/ru.js';
import { SV } from './languages/sv.js';
import { TR } from './languages/tr.js';
import { ZH } from './languages/zh.js';
import { scanner, type Scanner } from './matcher.js';

/** Every language that is known. */
export const LANGUAGES: readonly LanguagePhrases[] = [EN, DE, FR, ES, PT, IT, NL, PL, RU, TR, JA, KO, ZH, AR, SV, HU];

/** Phrases from the configuration. */
export interface AddedPhrases {
  readonly means: Meaning;
  readonly phrases: readonly string[];
}

export type Said = Exclude<keyof LanguagePhrases, 'language' | 'causes'>;

const SAID: readonly Said[] = [
  'failed',
  'delayed',
  'keeps',
  'givenUp',
  'delivered',
  'relayed',
  'ranOut',
  'original',
  'suggests',
  'bounceSubject',
  'autoSubject',
  'awaySubject',
  'away',
  'noted',
  'challenge',
];

/** The meanings of phrases in all languages together, since most texts do not declare theirs. */
export interface PhraseBook {
  /** What a text says, of all that reports and answers say. */
  readonly says: Scanner<Said>;
  /** Words of causes in languages other than English, and those from the configuration. */
  readonly causes: readonly (readonly [cause: Cause, phrases: readonly string[]])[];
}

/** Every meaning that phrases may be added for. */
export const MEANINGS: readonly Meaning[] = [...SAID, ...CAUSES];

/** Makes a book of all languages and of what is added. @throws Error for a phrase that cannot be compiled */
export function phraseBook(added: readonly AddedPhrases[] = []): PhraseBook {
  const more = (meaning: Meaning): string[] =>
    added.flatMap(({ means, phrases }) => (means === meaning ? phrases.map((phrase) => phrase.toLowerCase()) : []));
  const says = scanner(SAID.map((name) => [name, [...more(name), ...LANGUAGES.flatMap((language) => language[name] ?? [])]] as const));
  const causes = CAUSES.map(
    (cause) => [cause, [...more(cause), ...LANGUAGES.flatMap((language) => language.causes?.[cause] ?? [])]] as const,
  );
  // What is added can be compiled, or is refused here.
  scanner(added.map(({ means, phrases }) => [means, phrases] as const));
  return { says, causes };
}

/** The book without additions. */
export const USUAL_BOOK: PhraseBook = phraseBook();
