import { lookUp } from '@verbalis/core/strings';

/** A text of the mail folder in the best locale: the wanted one, the folder's own, or the first that there is. */
export function inLocale(
  texts: string | Readonly<Record<string, string>> | undefined,
  locale: string | undefined,
  own: string,
): string | undefined {
  if (texts === undefined || typeof texts === 'string') return texts;
  const tag = lookUp(locale, own).find((found) => Object.hasOwn(texts, found));
  return tag === undefined ? Object.values(texts)[0] : texts[tag];
}
