/** What a quoted answer of a server holds. */
export interface Quoted {
  /** RFC 5321, where one is quoted. */
  readonly replyCode: number | undefined;
  /** RFC 3463, where one is quoted. */
  readonly status: string | undefined;
  /** On one line, without what was repeated at the start of each of its lines. */
  readonly text: string;
}

const LONGEST = 8192;

// Not part of an address or a version: nothing of a number stands before or after it.
const STATUS = /(?<![\d.])([245]\.[0-7]\.\d{1,3})(?!\.?\d)/g;

/** Whether a status says no more than its class, or its class and subject (RFC 3463 3.1: x.y.0). */
export function isGenericStatus(status: string): boolean {
  return status.endsWith('.0');
}

// A reply stands at the start, after a word that introduces one, or right before its enhanced code.
const REPLIES = [
  /^[\s"'#<([]{0,4}([245][0-5]\d)(?=[\s-]|$)/,
  /<<< {0,3}([245][0-5]\d)(?=[\s-])/,
  /\b(?:said|says|responded|response|replied|reply|answered|returned|reports?|reason|error|status|code|smtp|antwort|réponse|respuesta)\b[^\w\n]{0,6}(?:was |is |with |code |error |status |smtp |;)?[^\w\n]{0,3}([245][0-5]\d)(?=[\s-])/i,
  /(?<![\d.])([245][0-5]\d)[ -](?=#?[245]\.[0-7]\.\d)/,
  /(?:^|[\n:("'])\s{0,40}([45][0-5]\d)[ -](?=[A-Za-z<(#"'[])/,
];

/** The reply code that a text quotes. */
function replyCodeIn(text: string): number | undefined {
  for (const pattern of REPLIES) {
    const found = pattern.exec(text)?.[1];
    if (found !== undefined) return Number(found);
  }
  return undefined;
}

/** The enhanced code that a text quotes: the one that stands with the reply code, else the first that says more than its class. */
function statusIn(text: string): string | undefined {
  const beside = /(?<![\d.])[245][0-5]\d[ -]#?([245]\.[0-7]\.\d{1,3})(?!\.?\d)/.exec(text)?.[1];
  if (beside !== undefined && !isGenericStatus(beside)) return beside;
  const all = [...text.matchAll(STATUS)].map((match) => match[1] ?? '');
  return all.find((word) => !isGenericStatus(word)) ?? beside ?? all[0];
}

/**
 * A reply over several lines, put together: "550-5.1.1 No such" and "550 5.1.1 user" are one sentence with one code. Lines may have been
 * folded into one before.
 */
function joined(text: string): string {
  const line = text.slice(0, LONGEST).replace(/\s+/g, ' ').trim();
  const code = /(?<![\d.])([245][0-5]\d)[- ]/.exec(line)?.[1];
  if (code === undefined) return line;
  let first = true;
  // "550-5.1.1 " again and again; only where a hyphen shows that it is a continuation, or its last line.
  if (!line.includes(`${code}-`)) return line;
  return line.replace(new RegExp(`(?<![\\d.])${code}[- ](?:#?[245]\\.[0-7]\\.\\d{1,3}(?= |$) ?)?`, 'g'), (all) => {
    if (!first) return '';
    first = false;
    return all.replace(/^(\d{3})-/, '$1 ');
  });
}

/** Reads what is quoted of a server's answer. */
export function readQuoted(text: string): Quoted {
  const line = joined(text);
  return { replyCode: replyCodeIn(text.slice(0, LONGEST)), status: statusIn(line), text: line };
}

/** A status as a report writes it: comments dropped; one that is cut short is filled up, and then says as much as a generic one. */
export function readStatus(value: string | undefined): string | undefined {
  if (value === undefined) return undefined;
  const whole = /(?<![\d.])([245])\.(\d{1,3})\.(\d{1,3})(?!\.?\d)/.exec(value);
  if (whole !== null) return `${whole[1] ?? ''}.${Number(whole[2])}.${Number(whole[3])}`;
  const short = /^\s*([245])(?:\.(\d{1,3}))?\.?(?=\s|\(|$)/.exec(value);
  return short === null ? undefined : `${short[1] ?? ''}.${Number(short[2] ?? 0)}.0`;
}
