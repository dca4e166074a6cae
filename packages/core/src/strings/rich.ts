// A message with emphasis or links is formatted with marks in place of its tags: noncharacters, which no value keeps when it is escaped.
const [OPEN, NAMED, CLOSE] = ['\uFDD2', '\uFDD3', '\uFDD4'];
const MARKS = /\uFDD2([A-Za-z][A-Za-z0-9_-]*)\uFDD3|\uFDD4/g;
const TAGS = /<([A-Za-z][A-Za-z0-9_-]*)>/;

/** Tags that are emphasis; every other one is a link, whose address the call gives by the tag's name. */
export const EMPHASIS: readonly string[] = ['b', 'i'];

/** Whether a text of strings/ has tags: `Read <terms>our terms</terms>, <b>please</b>.` Others show what looks like a tag as it is. */
export function hasTags(text: string): boolean {
  const name = TAGS.exec(text)?.[1];
  return name !== undefined && text.includes(`</${name}>`);
}

/** What a tag's content is formatted as. */
export function marked(name: string, content: string): string {
  return `${OPEN}${name}${NAMED}${content}${CLOSE}`;
}

/** A value without marks of its own. */
export function unmarked(value: unknown): unknown {
  return typeof value === 'string' ? value.replace(/[\uFDD2-\uFDD4]/g, '') : value;
}

/** A formatted text, piece by piece: words, and where a tag begins and ends. */
export function piecesOf(text: string): readonly ({ readonly text: string } | { readonly opens: string } | { readonly closes: string })[] {
  const out: ({ text: string } | { opens: string } | { closes: string })[] = [];
  const open: string[] = [];
  let last = 0;
  for (const found of text.matchAll(MARKS)) {
    if (found.index > last) out.push({ text: text.slice(last, found.index) });
    last = found.index + found[0].length;
    if (found[1] === undefined) out.push({ closes: open.pop() ?? '' });
    else {
      open.push(found[1]);
      out.push({ opens: found[1] });
    }
  }
  if (last < text.length) out.push({ text: text.slice(last) });
  return out;
}
