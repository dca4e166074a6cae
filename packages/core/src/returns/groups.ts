import { fieldText } from '../mime/index.js';

/** Fields of one group, names in small letters; the first of a name counts. */
export type Group = ReadonlyMap<string, string>;

const MOST_BYTES = 1 << 20;
const MOST_GROUPS = 2000;
const LONGEST_FIELD = 16_384;
const FIELD = /^([A-Za-z][A-Za-z0-9-]{1,60})[ \t]*:(.*)$/;

/**
 * The groups of fields of a report (RFC 3464 2.1), as they come: parted by empty lines, or not; unfolded, or broken without a mark. `lines`
 * of a field are kept apart by a line break, since a reply over several lines reads better so.
 */
export function groupsOf(bytes: Uint8Array): Group[] {
  const text = Buffer.from(bytes.buffer, bytes.byteOffset, Math.min(bytes.byteLength, MOST_BYTES)).toString('latin1');
  const groups: Map<string, string>[] = [];
  let group = new Map<string, string>();
  let last: string | undefined;
  const close = (): void => {
    if (group.size > 0 && groups.length < MOST_GROUPS) groups.push(group);
    group = new Map();
    last = undefined;
  };
  for (const line of text.split(/\r\n|\r|\n/)) {
    if (line.trim() === '') {
      close();
      continue;
    }
    const found = /^[ \t]/.test(line) ? null : FIELD.exec(line);
    if (found === null) {
      // A fold; or a line of a long reply that nobody folded.
      const before = last === undefined ? undefined : group.get(last);
      if (last !== undefined && before !== undefined && before.length < LONGEST_FIELD) group.set(last, `${before}\n${line.trim()}`);
      continue;
    }
    const name = (found[1] ?? '').toLowerCase();
    const value = (found[2] ?? '').trim();
    // Groups without a separator: each recipient starts a new one.
    if (/^(?:final|original)-recipient$/.test(name) && group.has(name)) close();
    last = group.has(name) ? undefined : name;
    if (last !== undefined) group.set(name, value);
  }
  close();
  return merged(groups.map((fields) => new Map([...fields].map(([name, value]) => [name, value.split('\n').map(fieldText).join('\n')]))));
}

function namesRecipient(group: Group): boolean {
  return ['final-recipient', 'original-recipient', 'x-actual-recipient'].some((name) => group.has(name));
}

/** A recipient's fields that an empty line has cut apart. */
function merged(groups: readonly Group[]): Group[] {
  const out: Group[] = [];
  for (const group of groups) {
    const before = out.at(-1);
    const isRest = !namesRecipient(group) && (group.has('action') || group.has('status') || group.has('diagnostic-code'));
    if (before !== undefined && isRest && namesRecipient(before) && !before.has('action'))
      out[out.length - 1] = new Map([...group, ...before]);
    else out.push(group);
  }
  return out;
}

/** "rfc822; someone@host" (also utf-8, local, x400 …): the part after the type, and the type. */
export function typed(value: string | undefined): { readonly type: string; readonly text: string } | undefined {
  if (value === undefined) return undefined;
  const found = /^\s*([A-Za-z][A-Za-z0-9+.-]{0,40})\s*;([\s\S]*)$/.exec(value);
  return found === null ? { type: '', text: value.trim() } : { type: (found[1] ?? '').toLowerCase(), text: (found[2] ?? '').trim() };
}

/** An address of a report: without brackets and comments, escapes of RFC 6533 3 read. */
export function addressOf(value: string | undefined): string | undefined {
  const text = typed(value)?.text.replace(/\s+/g, ' ');
  if (text === undefined) return undefined;
  const bracketed = /<([^<>]{1,400})>/.exec(text)?.[1] ?? text;
  const bare = bracketed
    .replace(/\\x\{([0-9A-Fa-f]{1,6})\}/g, (all, hex: string) => {
      const code = Number.parseInt(hex, 16);
      return code <= 0x10_ff_ff && code >= 0x20 ? String.fromCodePoint(code) : all;
    })
    .replace(/^mailto:/i, '')
    .replace(/^["'(]{1,8}(?=[^"'(][^"']*@)/, '')
    .replace(/(?<![)"',;:.])[)"',;:.]+$/, '')
    .replace(/(?<!\s)\s+\(.*/, '')
    .trim();
  return bare === '' ? undefined : bare;
}
