import { isFault, parseMailbox } from '@verbalis/core/mime';
import type { SendingSpace } from '../features/domain-checks/index.js';
import type { Editions, LoadedEdition } from '../features/editions/index.js';
import type { SpaceSettings } from '../features/spaces/index.js';
import type { Settings } from '../settings/index.js';

/** The domains that a space sends as: of its sender, or its mail folder's, and those that a message may name. */
export function sendersOfSpace(space: SpaceSettings[string] | undefined, edition: LoadedEdition | undefined): string[] {
  const sender = parseMailbox(space?.sender ?? edition?.project.settings.sender ?? '');
  return [...(isFault(sender) ? [] : [sender.domain]), ...(space?.senderDomains ?? [])];
}

/** What providers of a space's route need from the DNS; those that keep or log email need nothing. */
function dnsOf(settings: Settings, space: string): SendingSpace['providers'] {
  return (settings.spaces[space]?.route ?? []).flatMap(({ provider: name }) => {
    const provider = settings.providers[name];
    return provider?.kind === 'smtp' || provider?.kind === 'http' ? [{ ...provider.facts, name }] : [];
  });
}

/** Whether email of a space needs our signature: it delivers, and not all of its providers sign themselves. */
export function mustSign(settings: Settings, space: string): boolean {
  return settings.spaces[space]?.mode === 'deliver' && dnsOf(settings, space).some(({ signs }) => signs === 'us');
}

/** Spaces as the DNS is concerned: whom they send as, and through what. */
export function sendingSpaces(settings: Settings, editions: Editions): Promise<SendingSpace[]> {
  return Promise.all(
    Object.entries(settings.spaces).map(async ([name, space]) => ({
      name,
      delivers: space.mode === 'deliver',
      senders: sendersOfSpace(space, await editions.current(name)),
      providers: dnsOf(settings, name),
    })),
  );
}
