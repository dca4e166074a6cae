export { EN } from './languages/en.js';
export { LANGUAGES, MEANINGS, phraseBook, USUAL_BOOK, type AddedPhrases, type PhraseBook, type Said } from './book.js';
export type { Meaning } from './language.js';
export { plainWords, scanner, type Scanner } from './matcher.js';
