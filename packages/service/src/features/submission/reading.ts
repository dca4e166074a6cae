import { readMail, repairMail } from '@verbalis/core/mime';
import type { SubmittedMail } from '../messages/index.js';

/** Reads an email that was handed in. Pure, so that it can be read in another thread. Never throws. */
export function readSubmitted(bytes: Uint8Array): SubmittedMail {
  const { bytes: made, repairs, fault } = repairMail(bytes);
  const { fields } = readMail(bytes);
  const added = ['Date', 'Message-ID'].filter((name) => !fields.some((field) => field.name === name.toLowerCase()));
  return {
    fields,
    repairs: [...repairs, ...added.map((name) => `${name} was added`)],
    repaired: made.equals(bytes) ? undefined : made,
    fault,
  };
}
