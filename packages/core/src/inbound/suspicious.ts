import { domainToUnicode } from 'node:url';
import type { ShownLink } from '../inspect/index.js';
import type { InboundFile } from './file.js';
import type { Person } from './people.js';

/** Something that should make a person, or a program, look twice. */
export interface Suspicion {
  readonly code:
    | 'not-authentic'
    | 'other-author'
    | 'several-authors'
    | 'name-shows-address'
    | 'reply-elsewhere'
    | 'dangerous-file'
    | 'disguised-file'
    | 'link-text'
    | 'lookalike-host'
    | 'active-content';
  /** In a sentence. */
  readonly text: string;
}

/** Endings of files that run when they are opened, or carry what does. */
const RUNS = new Set(
  'exe scr com bat cmd pif js jse vbs vbe wsf wsh ps1 psm1 msi msp jar hta lnk cpl reg iso img vhd vhdx dll app apk deb rpm dmg pkg sh docm dotm xlsm xltm xlam pptm potm ppam one html htm xhtml svg mht'.split(
    ' ',
  ),
);
const HIDING = /\.(?:pdf|docx?|xlsx?|pptx?|jpe?g|png|gif|txt|csv|zip)\.([a-z0-9]{1,5})$/i;

const hostOf = (address: string): string | undefined => {
  try {
    return new URL(address).hostname.replace(/^www\./, '').toLowerCase();
  } catch {
    return undefined;
  }
};

const isSame = (a: string, b: string): boolean => a === b || a.endsWith(`.${b}`) || b.endsWith(`.${a}`);

/** Whether one label of a host name has letters of several scripts, so that it looks like another name. */
function isLookalike(host: string): boolean {
  return domainToUnicode(host)
    .split('.')
    .some((label) => {
      const scripts = [/\p{Script=Latin}/u, /\p{Script=Cyrillic}/u, /\p{Script=Greek}/u].filter((script) => script.test(label)).length;
      return scripts > 1;
    });
}

function aboutFile({ name, type }: InboundFile, start: Uint8Array): Suspicion | undefined {
  const ending = /\.([a-z0-9]{1,5})$/i.exec(name)?.[1]?.toLowerCase() ?? '';
  const hidden = HIDING.exec(name)?.[1]?.toLowerCase();
  const isProgram =
    (start[0] === 0x4d && start[1] === 0x5a) || (start[0] === 0x7f && start[1] === 0x45 && start[2] === 0x4c && start[3] === 0x46);
  if (hidden !== undefined && RUNS.has(hidden))
    return { code: 'disguised-file', text: `The file "${name}" shows one type and has another.` };
  if (isProgram && !['exe', 'dll', 'scr', 'com'].includes(ending))
    return { code: 'disguised-file', text: `The file "${name}" is a program, though it is sent as ${type}.` };
  return RUNS.has(ending) ? { code: 'dangerous-file', text: `The file "${name}" may run something when it is opened.` } : undefined;
}

function aboutLink({ text, href }: ShownLink): Suspicion | undefined {
  const to = hostOf(href);
  if (to === undefined) return undefined;
  if (isLookalike(to)) return { code: 'lookalike-host', text: `A link leads to ${domainToUnicode(to)}, whose name mixes scripts.` };
  const shown = /^(?:https?:\/\/)?((?:[\p{L}\p{N}-]{1,63}\.){1,8}\p{L}{2,24})(?:[/:?#]|$)/iu
    .exec(text.trim())?.[1]
    ?.replace(/^www\./, '')
    .toLowerCase();
  if (shown === undefined || isSame(hostOf(`http://${shown}`) ?? shown, to)) return undefined;
  return { code: 'link-text', text: `A link shows ${shown} and leads to ${to}.` };
}

/** What is odd about an email, by what is in it. Each kind of oddity is named once. */
export function suspicionsOf(
  {
    from,
    replyTo,
    files,
  }: { readonly from: Person | undefined; readonly replyTo: Person | undefined; readonly files: readonly InboundFile[] },
  {
    links,
    authors,
    hadActive,
    startOf,
  }: {
    readonly links: readonly ShownLink[];
    /** Mailboxes of all From fields. */
    readonly authors: number;
    readonly hadActive: boolean;
    readonly startOf: (file: InboundFile) => Uint8Array;
  },
): Suspicion[] {
  const found: (Suspicion | undefined)[] = [];
  if (authors !== 1)
    found.push({ code: 'several-authors', text: authors === 0 ? 'It names no author that can be read.' : `It names ${authors} authors.` });
  if (from !== undefined) {
    const domain = from.address.slice(from.address.lastIndexOf('@') + 1);
    const inName = /[^\s<>"'@]{1,64}@([^\s<>"'@]{1,253})/.exec(from.name)?.[1]?.toLowerCase();
    if (inName !== undefined && !isSame(inName, domain))
      found.push({ code: 'name-shows-address', text: `Its author is shown as "${from.name}", and is ${from.address}.` });
    if (isLookalike(domain))
      found.push({ code: 'lookalike-host', text: `Its author is at ${domainToUnicode(domain)}, whose name mixes scripts.` });
    const answers = replyTo?.address.slice(replyTo.address.lastIndexOf('@') + 1);
    if (replyTo !== undefined && answers !== undefined && !isSame(answers, domain))
      found.push({ code: 'reply-elsewhere', text: `Its author is ${from.address}, and answers would go to ${replyTo.address}.` });
  }
  found.push(...files.map((file) => aboutFile(file, startOf(file))), ...links.map(aboutLink));
  if (hadActive) found.push({ code: 'active-content', text: 'It holds scripts, forms or frames, which were removed.' });
  const seen = new Map<string, Suspicion>();
  for (const suspicion of found) if (suspicion !== undefined && !seen.has(suspicion.code)) seen.set(suspicion.code, suspicion);
  return [...seen.values()];
}
