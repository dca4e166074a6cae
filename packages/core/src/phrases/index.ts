export { EN } from './languages/en.js';
export { LANGUAGES, MEANINGS, phraseBook, USUAL_BOOK, type AddedPhrases, type PhraseBook } from './book.js';
export type { Meaning } from './language.js';
export { matcher, plainWords } from './matcher.js';
