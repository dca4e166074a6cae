import { addressText, type Mailbox } from '@verbalis/core/mime';
import { Refusal } from '../../kernel/index.js';
import type { Senders } from '../senders/index.js';
import type { SpaceRules } from '../spaces/index.js';

/**
 * Refuses email of a space that delivers where nobody has shown that it may send as its author.
 * @throws Refusal
 */
export function refuseUnconfirmed(
  senders: Pick<Senders, 'standingOf'>,
  { mode }: Pick<SpaceRules, 'mode'>,
  { space, sender }: { readonly space: string; readonly sender: Mailbox },
): void {
  if (mode === 'capture') return;
  const standing = senders.standingOf(space, sender);
  if (standing !== 'waiting' && standing !== 'unknown') return;
  const address = addressText(sender);
  throw new Refusal(409, 'sender-not-confirmed', 'The sender is not confirmed', {
    detail:
      standing === 'waiting'
        ? `The owner of ${address} was asked, and has not agreed yet that the space "${space}" sends as it.`
        : `Nothing shows that the space "${space}" may send as ${address}.`,
    hint:
      standing === 'waiting'
        ? `Open the link in the email to ${address}; send it again: verbalis senders ask ${address} --space ${space}`
        : `Add its domain: verbalis domains add ${sender.domain}; or have the address confirmed: verbalis senders add ${address} --space ${space}; or name the domain in spaces.${space}.senderDomains.`,
  });
}
