import { readQuoted, type Quoted } from './quoted.js';

export type ProseOutcome = 'failed' | 'delayed' | 'delivered' | 'relayed';

/** What the prose of a report says of one address. */
export interface Mention {
  readonly address: string;
  /** The address that was written to, where the one that failed stands behind it. */
  readonly alias: string | undefined;
  readonly outcome: ProseOutcome | undefined;
  /** The lines that belong to it, one per line. */
  readonly reason: string;
}

export interface Prose {
  readonly mentions: readonly Mention[];
  /** The outcome that it tells of as a whole. */
  readonly outcome: ProseOutcome | undefined;
  /** Whether it says that no more attempts are made. */
  readonly givenUp: boolean;
  /** Whether it says that the time for trying was up. */
  readonly ranOut: boolean;
  /** What a server is quoted to have answered, where it belongs to no single address. */
  readonly transcript: Quoted | undefined;
  /** What comes after the prose: the original, if it stands inline. */
  readonly rest: string;
}

const MOST_CHARS = 200_000;
const MOST_LINES = 1500;
const LONGEST_LINE = 2000;
const REASON_LINES = 14;

// Where a report ends and the mail that it returns begins.
const CUTS = [
  /^[\s>*=_-]{0,20}(?:this is |the following is |below is |here is |attached is )?(?:a |the )?(?:copy of )?(?:the |your )?(?:body of |headers? of |first \d+ lines of )?(?:your |the )?(?:original|returned|unsent|undelivered|undeliverable|rejected|bounced) (?:e-?mail |mail )?(?:message|mail|headers?)\b(?!\s+(?:was|were|has|have|had|could|can|is|are|sent|to|from|you|with|returned|delivery|subject))[^@]{0,60}$/i,
  /^[\s>*=_-]{0,20}(?:-{2,}|_{2,}|={2,})[^@]{0,60}\b(?:copy of|original|below this line|message follows|message header|headers? follow|returned|ursprüngliche|d'origine|mensaje|messaggio)\b/i,
  /^\s{0,8}(?:this is a copy of|below is a copy of|a copy of your|the (?:header|headers|body|text|start) of (?:the|your)|message headers? follow|message header follows|the message that (?:you sent|could not)|-+ ?(?:begin|start) of)/i,
  /^\s{0,8}(?:ursprüngliche nachricht|kopie der nachricht|message d['’]origine|copie du message|mensaje original|messaggio originale|mensagem original|oorspronkelijk bericht|元のメッセージ|原始邮件|原始郵件)/i,
];

const ADDRESS = String.raw`("[^"\s]{1,64}"@[^\s<>"'(),;:[\]“”‘’]{1,255}|[^\s<>"'(),;:[\]“”‘’]{1,64}@[^\s<>"'(),;:[\]“”‘’]{1,255})`;
const OPEN = String.raw`[\s>*•·–-]{0,24}(?:\d{1,3}[.)]\s{1,4})?`;
// A line that begins with an address, perhaps behind a label.
const LABEL = String.raw`(?:(?:final |failed |original |intended |the )?(?:recipients?|to|address|rcpt|user|mailbox|e-?mail(?: address)?|empfänger|destinataire|destinatario|destinatário|ontvanger|mottagare|収件人|受信者|收件人)(?: address| name)?\s{0,3}[:：]\s{0,10}(?:rfc822;\s{0,3})?)?`;
const ENTRY = new RegExp(
  String.raw`^${OPEN}${LABEL}["'“‘(<[]{0,3}(?:mailto:|smtp:)?${ADDRESS}["'”’)>\]]{0,3}(?=$|[\s:,;.(–-])(.{0,1500})$`,
  'iu',
);
const WITHIN = new RegExp(ADDRESS, 'giu');
const ALIAS = new RegExp(
  String.raw`(?:expanded from|generated from|via alias|alias(?:ed)? (?:of|from)?|ursprünglich an|originally (?:addressed )?to|was addressed to|forwarded (?:from|for))\s?:?\s{0,3}<?${ADDRESS}`,
  'iu',
);

const DELIVERED =
  /(?:success(?:fully|ful)|was) deliver(?:ed|y)|has been delivered|delivered successfully|erfolgreich zugestellt|remis avec succès|entregado correctamente/i;
const RELAYED =
  /\brelayed to\b|has been relayed|were relayed|was relayed|successfully relayed|no (?:further|more) (?:delivery )?(?:notifications?|reports?) (?:will|may)|weitergeleitet/i;
const WAITING =
  /\b(?:delayed|deferred)\b|not (?:yet )?been delivered|still (?:undelivered|being|trying|in the queue)|transient non-?fatal|will (?:keep|continue|retry|try|be re-?tried|be attempted)|(?<!\bno (?:further|more) )delivery attempts will|warning message only|only a (?:warning|temporary)|not need to re-?send|no action is required|temporarily (?:unable|unavailable)|verzögert|noch nicht zugestellt|retardé|retrasad|demorad|遅延|延迟/i;
const KEEPS =
  /\bwill (?:keep|continue|retry|try|be re-?tried|be attempted|still)|(?<!\b(?:no further|no more|any) )attempts will (?:continue|be made)|still (?:trying|being)|not need to re-?send|warning message only|only a (?:warning|temporary)|no action is required|queue for up to|wird weiter versucht|erneut versucht|sera retent|se intentará/i;
const GIVEN_UP =
  /permanent(?:ly)? (?:fail|fatal|error)|fail(?:ed|s) permanently|(?:given|giving|gave) up|no (?:further|more) (?:delivery )?attempts|will not (?:be re-?tried|be attempted|retry|try)|not going to try again|will no longer|ha(?:s|ve) been (?:returned|removed)|removed from the queue|(?:being )?returned to (?:the )?sender|has been abandoned|retry time(?:out)? (?:has )?(?:been )?(?:exceeded|expired)|delivery time expired|message (?:has )?(?:expired|timed out)|in (?:the )?queue too long|undeliverable|aufgegeben|endgültig|définitive|definitiv/i;
const FAILED =
  /could not be delivered|couldn['’]?t be delivered|cannot be delivered|can['’]?t be delivered|not be delivered|wasn['’]?t delivered|(?:was|were) not delivered|unable to deliver|not able to deliver|wasn['’]?t able to deliver|failed to deliver|fail(?:ed|ure) (?:to|of|in) deliver|delivery (?:to .{1,200} )?(?:has )?failed|failed permanently|permanent(?:ly)? (?:fail|fatal|error)|permanent fatal|undeliver|did not reach|could not be reached|has been rejected|was rejected|has been blocked|rejected your message|address (?:not found|couldn['’]?t be found)|not delivered to|returned to (?:the )?sender|error has occurred while attempting to deliver|problem with (?:your|the) (?:message|delivery)|nicht zugestellt|unzustellbar|zustellung .{0,40}fehlgeschlagen|n['’]a pas pu être|n['’]ont pas pu|échec de la remise|non remis|no se pudo entregar|no ha podido ser entregado|non (?:è stato possibile|recapitat)|mancata consegna|não foi entregue|não pôde ser|niet (?:worden )?(?:bezorgd|afgeleverd)|kunde inte levereras|nie (?:można|zosta)|не (?:может быть|удалось|доставлен)|配信できません|配信不能|送信できません|無法|无法|退信|投递失败/i;

/** The outcome that a piece of prose tells. */
function fateOf(text: string): ProseOutcome | undefined {
  const keeps = KEEPS.test(text);
  if (WAITING.test(text) && (keeps || !GIVEN_UP.test(text)) && (keeps || !FAILED.test(text))) return 'delayed';
  if (FAILED.test(text) || GIVEN_UP.test(text)) return 'failed';
  if (RELAYED.test(text)) return 'relayed';
  return DELIVERED.test(text) ? 'delivered' : undefined;
}

/** It was tried until the time was up: what stood against it was not for good. */
const RAN_OUT =
  /retry time(?:out)?\b.{0,40}exceeded|in (?:the )?queue too long|(?:after|for|within|in|over) (?:about |more than |over )?\d{1,3} (?:hours?|days?)\b|(?:message|delivery time) (?:has )?expired/i;

/** Whether this says that the time for trying was up. */
export function ranOut(text: string): boolean {
  return RAN_OUT.test(text);
}

/** Whether this says that nobody tries any more. */
export function isGivenUp(text: string): boolean {
  return GIVEN_UP.test(text) && !KEEPS.test(text);
}

function endOf(lines: readonly string[]): number {
  for (let i = 0; i < lines.length; i += 1) {
    const line = lines[i] ?? '';
    if (i > 0 && CUTS.some((cut) => cut.test(line))) return i;
    // No words before it: the header of the original begins.
    const next = lines.slice(i + 1, i + 4).join('\n');
    if (/^(?:Return-Path|Received|DKIM-Signature|X-[\w-]{1,60}|ARC-[\w-]{1,40}):/i.test(line) && /^(?:[ \t]|[\w-]{2,60}:)/m.test(next))
      return i;
  }
  return lines.length;
}

const QUOTES =
  /^[\s>]{0,20}(?:<<<|>>>|\d{3}[ -]|#?\d\.\d{1,2}\.\d{1,3}\b)|(?:said|says|responded|replied|response(?: was)?|error(?: from| was)?|reason(?: was)?|status|diagnostic[- ]code)\b[^\n]{0,80}(?<!\d)[245][0-5]\d[ -]/i;

/** Prose about addresses: each line that begins with one starts an entry, and what is below it belongs to it. */
export function readProse(text: string, except: (address: string) => boolean): Prose {
  const all = text
    .slice(0, MOST_CHARS)
    .split(/\r\n|\r|\n/)
    .slice(0, MOST_LINES)
    .map((line) => line.slice(0, LONGEST_LINE).replace(/\u00A0/g, ' '));
  const end = endOf(all);
  const lines = all.slice(0, end);
  const whole = lines.join('\n');
  const mentions: Mention[] = [];
  let section: ProseOutcome | undefined;
  for (let i = 0; i < lines.length; i += 1) {
    const line = lines[i] ?? '';
    const entry = ENTRY.exec(line);
    if (entry === null || except(entry[1] ?? '') || /^\s*(?:from|sender|reply-to|von|de)\s*:/i.test(line)) {
      // A heading holds for what stands below it.
      if (entry === null && line.trim() !== '') section = fateOf(line) ?? section;
      continue;
    }
    const reason: string[] = [(entry[2] ?? '').replace(/^[\s:;,.)>–-]+/, '')];
    const from = i;
    const margin = indentOf(line);
    for (let j = i + 1; j < lines.length && j - from <= REASON_LINES; j += 1) {
      const next = lines[j] ?? '';
      const another = ENTRY.exec(next);
      if (another !== null && !except(another[1] ?? '') && sameKind(line, next)) break;
      if (next.trim() === '') {
        // The reason may stand apart from its address, and its lines from each other, as long as they are moved in or quote somebody.
        const after = lines[j + 1] ?? '';
        const isCoded = QUOTES.test(reason.join('\n'));
        const isEmpty = reason.join('').trim() === '';
        const goesOn =
          after.trim() !== '' && ((indentOf(after) > margin && !isCoded) || QUOTES.test(after) || (isEmpty && indentOf(after) >= margin));
        if (!goesOn || (ENTRY.test(after) && sameKind(line, after)) || /^[\s]{0,4}-{2,}/.test(after)) break;
        continue;
      }
      if (/^\s{0,4}-{3,}/.test(next)) break;
      reason.push(next.trim());
      i = j;
    }
    const said = reason.filter((word) => word !== '').join('\n');
    mentions.push({
      address: trimmed(entry[1] ?? ''),
      alias: aliasIn(said, line),
      outcome: fateOf(said) ?? section,
      reason: said.replace(/^\([^()\n]{0,30}expanded from[^()\n]{0,340}\):?\s*/i, ''),
    });
  }
  const found = mentions.length > 0 ? mentions : inSentences(lines, except);
  return {
    mentions: unique(found),
    outcome: fateOf(whole),
    givenUp: isGivenUp(whole),
    ranOut: ranOut(whole),
    transcript: transcriptOf(lines),
    rest: all.slice(end).join('\n'),
  };
}

function indentOf(line: string): number {
  return line.length - line.trimStart().length;
}

/** Whether two lines are entries of one list: an address deeper in, or in other brackets, is part of a reason. */
function sameKind(a: string, b: string): boolean {
  return Math.abs(indentOf(a) - indentOf(b)) <= 1 && a.trimStart().startsWith('<') === b.trimStart().startsWith('<');
}

function trimmed(address: string): string {
  return address.replace(/(?<!\.)\.+$/, '');
}

function aliasIn(reason: string, line: string): string | undefined {
  const found = ALIAS.exec(line) ?? ALIAS.exec(reason);
  return found === null ? undefined : trimmed(found[1] ?? '');
}

function unique(mentions: readonly Mention[]): Mention[] {
  const out = new Map<string, Mention>();
  for (const mention of mentions) {
    const key = mention.address.toLowerCase();
    const before = out.get(key);
    // The same address again: under a heading first, with its reason later.
    if (before === undefined) out.set(key, mention);
    else
      out.set(key, {
        ...before,
        alias: before.alias ?? mention.alias,
        outcome: before.outcome ?? mention.outcome,
        reason: better(before.reason, mention.reason),
      });
  }
  return [...out.values()];
}

function better(a: string, b: string): string {
  const [x, y] = [readQuoted(a), readQuoted(b)];
  if (x.replyCode === undefined && y.replyCode !== undefined) return b;
  return a.trim() === '' ? b : a;
}

/** Without a list: addresses in sentences that tell of a failure, or within what a server is quoted with. */
function inSentences(lines: readonly string[], except: (address: string) => boolean): Mention[] {
  const out: Mention[] = [];
  const whole = lines.join('\n');
  const addressesOf = (line: string): string[] =>
    [...line.matchAll(WITHIN)].map(([address]) => address).filter((address) => !except(address));
  /** What is said from a line on, until another address fails or a rule ends it. */
  const reasonFrom = (from: number, most: number, address: string): string => {
    const end = lines.findIndex(
      (line, i) =>
        i > from &&
        (/^\s{0,8}[-=_*]{3,}\s*$/.test(line) ||
          ((FAILED.test(line) || WAITING.test(line)) && addressesOf(line).some((other) => other.toLowerCase() !== address.toLowerCase()))),
    );
    return lines
      .slice(from, Math.min(from + most, end === -1 ? lines.length : end))
      .join('\n')
      .trim();
  };
  // A sentence may go over two lines.
  for (let i = 0; i < lines.length; i += 1) {
    const pair = `${lines[i] ?? ''} ${lines[i + 1] ?? ''}`;
    if (!FAILED.test(pair) && !WAITING.test(pair) && !QUOTES.test(lines[i] ?? '') && !/RCPT TO/i.test(lines[i] ?? '')) continue;
    for (const address of addressesOf(lines[i] ?? ''))
      out.push({
        address: trimmed(address),
        alias: undefined,
        outcome: fateOf(pair) ?? fateOf(whole),
        reason: reasonFrom(i, 6, address),
      });
    if (lines[i + 1] !== undefined && out.length === 0 && FAILED.test(lines[i] ?? ''))
      for (const address of addressesOf(lines[i + 1] ?? ''))
        out.push({ address: trimmed(address), alias: undefined, outcome: fateOf(pair), reason: reasonFrom(i, 8, address) });
  }
  return out;
}

/** What a server is quoted with: the last answer that refuses, in a transcript or in a sentence. */
function transcriptOf(lines: readonly string[]): Quoted | undefined {
  const marked = lines.flatMap((line, i) => (/^\s{0,8}<<<\s/.test(line) ? [i] : []));
  const candidates = marked.length > 0 ? marked : lines.flatMap((line, i) => (QUOTES.test(line) ? [i] : []));
  for (const i of candidates) {
    const text = marked.length > 0 ? sameReply(lines, i) : lines.slice(i, i + 5).join('\n');
    const quoted = readQuoted(text.replace(/^[ \t]*<<<[ \t]*/gm, ''));
    if (quoted.replyCode !== undefined ? quoted.replyCode >= 400 : quoted.status !== undefined && !quoted.status.startsWith('2'))
      return quoted;
  }
  return undefined;
}

function sameReply(lines: readonly string[], from: number): string {
  const out = [lines[from] ?? ''];
  for (let i = from + 1; i < lines.length && /^\s{0,8}<<<\s/.test(lines[i] ?? '') && out.length < 12; i += 1) {
    if (!/\d{3}-/.test(lines[i - 1] ?? '')) break;
    out.push(lines[i] ?? '');
  }
  return out.join('\n');
}
