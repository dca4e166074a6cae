import { expect } from '@jest/globals';
import { mailMatchers } from './matchers.js';

// import '@verbalis/test-kit/jest' adds the matchers, with their types.
expect.extend(mailMatchers);

interface MailMatchers<R> {
  /** Waits for a captured mail to an address; five seconds when nothing else is said. */
  toHaveSentMailTo(
    to: string,
    match?: { readonly subject?: string; readonly saying?: string; readonly after?: Date; readonly within?: number },
  ): Promise<R>;
  /** The captured mail has a link whose words or address fit. */
  toHaveLink(wanted: string | RegExp): R;
  /** The captured mail has a one-time code: any, this very one, or one like this. */
  toHaveCode(wanted?: string | RegExp): R;
  /** The captured mail's text holds these words, whatever its lines are broken like. */
  toSay(words: string): R;
}

declare module 'expect' {
  // The type parameters must be those of the interface that is added to.
  // oxlint-disable-next-line no-unused-vars, typescript/no-empty-object-type
  interface Matchers<R extends void | Promise<void>, T = unknown> extends MailMatchers<R> {}
}
