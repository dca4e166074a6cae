/** Link texts that do not say where the link leads, when they stand alone (WCAG 2.4.4). */
export const EMPTY_LINK_WORDS = new Set([
  'click here',
  'here',
  'this link',
  'link',
  'click',
  'more',
  'ici',
  'cliquez ici',
  'hier',
  'hier klicken',
  'mehr',
  'هنا',
  'こちら',
]);

/** What filters dislike in a subject, with what to do. */
export const FILTER_WORDS: readonly { readonly pattern: RegExp; readonly says: string }[] = [
  { pattern: /[!?][!?]/, says: 'several exclamation or question marks in a row' },
  {
    pattern: /\b(?:free|winner|urgent|act now|limited time|guaranteed|risk.free|cash)\b|\b100% (?:free|guaranteed|off|risk|satisf)/i,
    says: 'a word that filters count against an email',
  },
  { pattern: /^(?:re|fwd?):/i, says: 'the mark of an answer, on an email that is none' },
  { pattern: /[$€£][$€£]/, says: 'money signs in a row' },
];

/** Whether a subject of some length is all in capitals. */
export function shouts(text: string): boolean {
  // Letters of scripts without capitals do not count.
  const letters = text.replace(/[^\p{Lu}\p{Ll}]/gu, '');
  return letters.length >= 12 && letters === letters.toUpperCase();
}

/** Words of a link that ends a subscription. "Stop" counts alone, or with what is stopped; a bus stop does not. */
export const UNSUBSCRIBE =
  /unsubscribe|opt-?out|^stop$|\bstop (?:it|this|these|them|receiving|getting|sending|all|the|e-?mails?|mails?|news)\b|desabonn|désabonn|abmeld|abbestell|إلغاء الاشتراك|配信停止/i;

/** Hosts that redirect, under names that do not tell the target. */
export const SHORTENERS: ReadonlySet<string> = new Set(
  'bit.ly tinyurl.com t.co goo.gl ow.ly is.gd buff.ly rebrand.ly cutt.ly tiny.cc rb.gy shorturl.at lnkd.in t.ly v.gd s.id'.split(' '),
);

/** A mailbox that nobody reads. */
export const NO_REPLY = /^(?:do-?)?no-?t?-?reply\b|^donotreply|^ne-?pas-?repondre|^keine-?antwort|^nicht-?antworten/i;
