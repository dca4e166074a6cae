import { addressText, isFault, parseMailbox } from '@verbalis/core/mime';
import { invalid } from '../../kernel/index.js';

/** The address of a person, as it is kept: in small letters. @throws Refusal */
export function emailOf(written: string): { readonly email: string; readonly name: string } {
  const parsed = parseMailbox(written.trim());
  if (isFault(parsed))
    throw invalid([{ path: 'email', message: parsed.fault, ...(parsed.hint === undefined ? {} : { hint: parsed.hint }) }]);
  return { email: addressText(parsed).toLowerCase(), name: parsed.name };
}
