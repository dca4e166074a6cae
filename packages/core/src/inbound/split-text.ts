import { rolesOf, type Line, type Role } from './roles.js';

/** A text in its parts. Nothing is lost: every line is in one of them. */
export interface SplitText {
  /** What its author has written for this email. */
  readonly text: string;
  /** What it answers or passes on, with the lines that introduce it. */
  readonly quoted: string;
  readonly signature: string;
}

/** ">" as it is written, also moved in, and with the initials of who is quoted. */
const QUOTED = /^ {0,3}(?:[A-Z]{1,3})?>/;

/** Characters and lines of a text that are split: what is longer is no longer what a person writes. The rest stays with the last line. */
const MOST_TEXT = 256 * 1024;
const MOST_LINES = 20_000;

/** Splits the text of an answer. Any text has a result, and takes time in proportion to its length. */
export function splitText(text: string): SplitText {
  const all = text.slice(0, MOST_TEXT).split(/\r\n|\r|\n/);
  const lines = all.length <= MOST_LINES ? all : [...all.slice(0, MOST_LINES), all.slice(MOST_LINES).join('\n')];
  return joined(lines.map((line): Line => ({ text: line, quote: QUOTED.test(line) ? 'sure' : undefined })));
}

/** Puts lines together by what they are. */
export function joined(lines: readonly Line[], roles: readonly Role[] = rolesOf(lines)): SplitText {
  const parts: Record<Role, string[]> = { new: [], quoted: [], signature: [] };
  let before: Role | undefined;
  lines.forEach(({ text }, i) => {
    const role = roles[i] ?? 'new';
    // What was apart stays apart.
    if (before !== undefined && before !== role && parts[role].length > 0) parts[role].push('');
    parts[role].push(text.trimEnd());
    if (text.trim() !== '') before = role;
  });
  const whole = (part: readonly string[]): string => {
    const kept = part.filter((line, i) => line !== '' || (part[i - 1] ?? '') !== '');
    return kept.slice(kept[0] === '' ? 1 : 0, kept.at(-1) === '' ? -1 : undefined).join('\n');
  };
  return { text: whole(parts.new), quoted: whole(parts.quoted), signature: whole(parts.signature).replace(/^(?:-- ?|—)\n/, '') };
}
