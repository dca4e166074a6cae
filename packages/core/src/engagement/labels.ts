/** Texts of an email that are looked for in the words of its links; more are hardly in them. */
const MOST_TEXTS = 500;
const MASK = '…';

/** Every text and number in data, as far as there are not too many. */
function leaves(value: unknown, into: string[]): string[] {
  if (into.length >= MOST_TEXTS) return into;
  if (typeof value === 'string' || typeof value === 'number') into.push(String(value));
  else if (typeof value === 'object' && value !== null) for (const inner of Object.values(value)) leaves(inner, into);
  return into;
}

/** Short words of our alphabet are words of any text; two signs of another may be a name. */
const isTelling = (text: string): boolean => text.length >= 3 || (text.length === 2 && /[^\p{ASCII}]/u.test(text));

/**
 * Words of links without what may lead to a person: what comes from the data of the email, addresses, and long numbers. So the same link has the
 * same words for everybody.
 * @param data of the email, and whatever else names its recipient
 */
export function labelMask(data: unknown): (label: string) => string {
  const texts = [...new Set(leaves(data, []).map((text) => text.trim().toLowerCase()))]
    .filter((text) => text.length <= 200 && isTelling(text))
    .sort((a, b) => b.length - a.length);
  return (label) => {
    let out = label;
    for (const text of texts) out = without(out, text);
    out = out
      .split(' ')
      .map((word) => (word.includes('@') ? MASK : word.replace(/\+?\p{N}[\p{N}.,:/-]{2,}/gu, MASK)))
      .join(' ');
    return out.replace(/…(?:\s*…)+/g, MASK).trim();
  };
}

/** A text without another that is in it as a word. */
function without(label: string, text: string): string {
  const lower = label.toLowerCase();
  // Some letters are longer in small: then places do not fit.
  if (lower.length !== label.length) return lower.includes(text) ? MASK : label;
  let [out, last] = ['', 0];
  for (let at = lower.indexOf(text); at !== -1; at = lower.indexOf(text, at + text.length)) {
    const isWord = !/[\p{L}\p{N}]$/u.test(label.slice(0, at)) && !/^[\p{L}\p{N}]/u.test(label.slice(at + text.length));
    if (!isWord && /^\p{ASCII}*$/u.test(text)) continue;
    out += label.slice(last, at) + MASK;
    last = at + text.length;
  }
  return out + label.slice(last);
}
