import { plainWords, type PhraseBook, type Said } from '../phrases/index.js';

/** What words tell of how a delivery ended. */
export type ProseOutcome = 'failed' | 'delayed' | 'delivered' | 'relayed';

/** What a piece of a report says, by the phrases of a book. */
export interface Words {
  readonly outcome: ProseOutcome | undefined;
  /** Whether it says that no more attempts are made. */
  readonly isGivenUp: boolean;
  /** Whether it says that the time for trying was up: what stood against it was not permanent. */
  readonly ranOut: boolean;
}

/** Units of time, and words before a number of them: "after 5 days". */
const UNITS = new Set(
  'hour hours day days stunde stunden tag tage tagen heure heures jour jours hora horas día días dia dias ora ore giorno giorni uur dag dagen godzin dni часов час дней дня суток saat gün timmar dagar'.split(
    ' ',
  ),
);
const BEFORE = new Set(
  'after for within in over about nach innerhalb seit während pendant après depuis durante después após depois per dopo da gedurende na binnen przez po od в течение через после boyunca içinde under'.split(
    ' ',
  ),
);
/** Where no space parts a number from its unit. */
const ATTACHED = /\d{1,3}\s?(?:日間|時間|일 동안|일간|시간|天内|天|小时|أيام|يوما|ساعة)/;
/** Words between the preposition and the number: "after more than 5 days". */
const REACH = 4;

/** Whether a text tells of a stretch of time that has passed. */
function tellsTime(plain: string): boolean {
  if (ATTACHED.test(plain)) return true;
  const words = plain.split(' ');
  return words.some(
    (word, i) =>
      /^\d{1,3}$/.test(word) &&
      UNITS.has(words[i + 1] ?? '') &&
      words.slice(Math.max(0, i - REACH), i).some((before) => BEFORE.has(before)),
  );
}

/** Characters of a report that its words are looked for in. */
const MOST = 60_000;

/** Reads the words of a piece of a report. */
export function wordsOf(text: string, { says }: PhraseBook): Words {
  const plain = plainWords(text, MOST);
  const said = says(plain);
  const keeps = said.has('keeps');
  return { outcome: outcomeOf(said), isGivenUp: said.has('givenUp') && !keeps, ranOut: said.has('ranOut') || tellsTime(plain) };
}

function outcomeOf(said: ReadonlyMap<Said, string>): ProseOutcome | undefined {
  const [keeps, gaveUp, failed] = [said.has('keeps'), said.has('givenUp'), said.has('failed')];
  if (said.has('delayed') && (keeps || !gaveUp) && (keeps || !failed)) return 'delayed';
  if (failed || gaveUp) return 'failed';
  if (said.has('relayed')) return 'relayed';
  return said.has('delivered') ? 'delivered' : undefined;
}
