/** A path of MAIL or RCPT (RFC 5321 4.1.2). */
export interface ReadPath {
  /** What stands between the brackets, without a source route and without the dot that ends a domain name; empty for the null sender. */
  readonly mailbox: string;
  /** What follows: parameters. */
  readonly rest: string;
}

/** Hosts before the mailbox, which servers must accept and should ignore (RFC 5321 4.1.1.3, appendix C). */
const SOURCE_ROUTE = /^@[^\s:,@]+(?:,@[^\s:,@]+)*:/;

/** Reads `<mailbox> parameters`. A bracket in a quoted local part does not end the path. @returns undefined where it is not a path */
export function readPath(text: string): ReadPath | undefined {
  const given = text.trimStart();
  if (!given.startsWith('<')) return undefined;
  let isQuoted = false;
  for (let at = 1; at < given.length; at += 1) {
    const sign = given[at];
    if (isQuoted && sign === '\\') at += 1;
    else if (sign === '"') isQuoted = !isQuoted;
    else if (!isQuoted && sign === '<') return undefined;
    else if (!isQuoted && sign === '>') {
      const rest = given.slice(at + 1);
      if (rest !== '' && !/^[ \t]/.test(rest)) return undefined;
      const mailbox = given.slice(1, at).replace(SOURCE_ROUTE, '');
      return { mailbox: /@[^@"]*[^.@]\.$/.test(mailbox) ? mailbox.slice(0, -1) : mailbox, rest: rest.trim() };
    }
  }
  return undefined;
}
