import { RefusedError, type CapturedMail, type Client } from '@verbalis/client';

/** What a matcher answers, as Jest and those who do alike ask for it. */
export interface Verdict {
  readonly pass: boolean;
  readonly message: () => string;
}

interface MailMatch {
  readonly subject?: string;
  /** Words that the mail holds anywhere. */
  readonly saying?: string;
  /** Only what came at this time or later. */
  readonly after?: Date;
  /** How long to wait for it, in milliseconds; five seconds when left out. */
  readonly within?: number;
}

const WITHIN_MS = 5000;
/** That something was not sent is known after so long, in milliseconds. */
const NOT_WITHIN_MS = 300;

function isMail(value: unknown): value is CapturedMail {
  return typeof value === 'object' && value !== null && 'links' in value && 'subject' in value;
}

function mailOf(received: unknown): CapturedMail {
  if (!isMail(received)) throw new TypeError('This matcher looks at a captured mail: await captured.waitFor({ to }).');
  return received;
}

function fits(wanted: string | RegExp, text: string): boolean {
  return typeof wanted === 'string' ? text.includes(wanted) : wanted.test(text);
}

/** Matchers for captured mail: `expect.extend(mailMatchers)`. */
export const mailMatchers = {
  /** `await expect(captured).toHaveSentMailTo('asa@post.example', { subject: 'code' })`: waits for it. */
  async toHaveSentMailTo(
    this: { readonly isNot?: boolean },
    received: unknown,
    to: string,
    { subject, saying, after, within }: MailMatch = {},
  ): Promise<Verdict> {
    const captured = received as Client['captured'];
    if (typeof captured.waitFor !== 'function')
      throw new TypeError('toHaveSentMailTo looks at the captured mail of a client: expect(client.captured).');
    const timeout = within ?? (this.isNot === true ? NOT_WITHIN_MS : WITHIN_MS);
    try {
      const mail = await captured.waitFor({ to, subject, find: saying, after }, { timeout });
      return { pass: true, message: () => `No mail was to go to ${to}, but one did: "${mail.subject}".` };
    } catch (error) {
      if (!(error instanceof RefusedError)) throw error;
      return { pass: false, message: () => error.message };
    }
  },

  /** The mail has a link whose words or address fit. */
  toHaveLink(received: unknown, wanted: string | RegExp): Verdict {
    const { links } = mailOf(received);
    const found = links.find((link) => fits(wanted, link.text) || fits(wanted, link.href));
    const all = links.map((link) => `  "${link.text}"  ${link.href}`).join('\n');
    return {
      pass: found !== undefined,
      message: () =>
        found === undefined
          ? `No link fits ${String(wanted)}. There ${links.length === 0 ? 'are none.' : `are:\n${all}`}`
          : `There is a link that fits: ${found.href}`,
    };
  },

  /** The mail has a one-time code, or this very one, or one like this. */
  toHaveCode(received: unknown, wanted?: string | RegExp): Verdict {
    const { codes } = mailOf(received);
    const pass = codes.some((code) => wanted === undefined || (typeof wanted === 'string' ? code === wanted : wanted.test(code)));
    return {
      pass,
      message: () =>
        pass
          ? `There is such a code: ${codes.join(', ')}`
          : codes.length === 0
            ? 'There is no one-time code in this email.'
            : `No code fits ${String(wanted)}. There is: ${codes.join(', ')}`,
    };
  },

  /** The text part holds these words, whatever the lines are broken like. */
  toSay(received: unknown, words: string): Verdict {
    const plain = (text: string): string => text.replace(/\s+/g, ' ');
    const { text } = mailOf(received);
    const pass = plain(text).includes(plain(words));
    return { pass, message: () => (pass ? `It says "${words}".` : `It does not say "${words}". It says:\n\n${text}`) };
  },
};
