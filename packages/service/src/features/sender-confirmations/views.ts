import { addressText, isFault, parseMailbox, type Mailbox } from '@verbalis/core/mime';
import type * as z from 'zod';
import { instant, optionalInstant } from '../../kernel/index.js';
import type { LoadedEdition } from '../editions/index.js';
import { outcomeOf } from '../messages/index.js';
import type { Senders, SenderRow, Standing } from '../senders/index.js';
import type { SpaceRules } from '../spaces/index.js';
import type { SenderList, SenderView } from './model.js';
import type { Store } from './store.js';

type View = z.input<typeof SenderView>;

export interface ViewSources {
  readonly store: Store;
  readonly senders: Senders;
  readonly space: string;
  readonly rules: SpaceRules;
}

const MAY: ReadonlySet<Standing> = new Set(['configured', 'own-domain', 'confirmed']);

/** A space that captures sends nothing: there everything may be tried. */
const usable = (standing: Standing, { mode }: SpaceRules): boolean => mode === 'capture' || MAY.has(standing);

/** One that was added. */
export function addedView(row: SenderRow, { store, senders, space, rules }: ViewSources): View {
  const mailbox = parseMailbox(row.address);
  const standing = isFault(mailbox) ? 'unknown' : senders.standingOf(space, mailbox);
  const outcome = row.messageId === null || row.confirmedAt !== null ? undefined : outcomeOf(store, row.messageId);
  return {
    address: row.address,
    name: row.name === '' ? undefined : row.name,
    from: 'added',
    standing,
    usable: usable(standing, rules),
    addedAt: instant(row.addedAt),
    askedAt: optionalInstant(row.askedAt),
    confirmedAt: optionalInstant(row.confirmedAt),
    messageId: row.messageId ?? undefined,
    delivery: outcome?.delivery,
    advice: standing === 'confirmed' || standing === 'waiting' ? adviceOn(row) : undefined,
  };
}

/** Email of a domain that is not ours fails DMARC there: some domains ask receivers to refuse it. */
function adviceOn({ address, policy }: SenderRow): string | undefined {
  if (policy !== 'reject' && policy !== 'quarantine') return undefined;
  const domain = address.slice(address.lastIndexOf('@') + 1);
  return `${domain} asks receivers to ${policy === 'reject' ? 'refuse' : 'treat as spam'} email in its name that it did not send itself (DMARC p=${policy}). Send as an address of a domain of yours, and name ${address} in replyTo.`;
}

/** Everybody whom a space sends as: by its configuration, its mail folder, and what was added. */
export function sendersView(sources: ViewSources, edition: LoadedEdition | undefined): z.input<typeof SenderList> {
  const { store, senders, space, rules } = sources;
  const named = (written: string | undefined, from: 'configuration' | 'mail-folder', template?: string): View[] => {
    const mailbox = parseMailbox(written ?? '');
    if (written === undefined || isFault(mailbox)) return [];
    const standing = senders.standingOf(space, mailbox);
    const { name } = mailbox;
    return [
      { address: addressText(mailbox), name: name === '' ? undefined : name, from, standing, usable: usable(standing, rules), template },
    ];
  };
  const usual = rules.sender === undefined ? named(edition?.project.settings.sender, 'mail-folder') : named(rules.sender, 'configuration');
  const own = [...(edition?.templates ?? [])].flatMap(([name, { compiled }]) => named(compiled.sender, 'mail-folder', name));
  const [first] = usual.flatMap(({ address }) => domainOf(parseMailbox(address)));
  return {
    senders: [...usual, ...own, ...store.senders.of(space).map((row) => addedView(row, sources))],
    domains: [...new Set([...(first === undefined ? [] : [first]), ...rules.senderDomains])],
  };
}

const domainOf = (mailbox: ReturnType<typeof parseMailbox>): Mailbox['domain'][] => (isFault(mailbox) ? [] : [mailbox.domain]);
