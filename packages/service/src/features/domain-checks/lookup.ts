import { isFault, parseAddress } from '@verbalis/core/mime';
import { invalid, Refusal, type Caller, type Clock } from '../../kernel/index.js';
import type { Domains, SendingDomain } from '../domains/index.js';
import type { DomainChecks } from './checks.js';
import type { Verifying } from './verification.js';
import type { Sharing } from './sharing.js';
import type { Store } from './store.js';
import { domainView } from './view.js';
import type { OwnNames } from './needs.js';

export interface DomainEndpoints {
  readonly store: Store;
  readonly domains: Domains;
  readonly checks: DomainChecks;
  readonly sharing: Sharing;
  readonly verifying: Verifying;
  readonly clock: Clock;
  readonly names: OwnNames;
}

/** A domain as endpoints answer with it. */
export async function viewOf(domain: SendingDomain, { store, checks, clock, names }: DomainEndpoints) {
  const spaces = await checks.spaces();
  return domainView(domain, { spaces, names, state: store.domainChecks.state(domain.name), now: clock.now() });
}

/** Domains that a caller may see: an operator all, a key those that its space sends as. */
export async function seenBy({ space, operator }: Caller, { domains, checks }: DomainEndpoints): Promise<SendingDomain[]> {
  if (operator) return [...domains.all()];
  const senders = (await checks.spaces()).find(({ name }) => name === space)?.senders ?? [];
  const own = new Set(senders.flatMap((sender) => domains.above(sender)?.name ?? []));
  return domains.all().filter(({ name }) => own.has(name));
}

/** The domain of a name, where the caller may see it. @throws Refusal */
export async function found(caller: Caller, name: string, deps: DomainEndpoints): Promise<SendingDomain> {
  const all = await seenBy(caller, deps);
  const domain = all.find((added) => added.name === name.toLowerCase().replace(/\.$/, ''));
  if (domain !== undefined) return domain;
  const known = all.map((added) => added.name).join(', ');
  throw new Refusal(404, 'unknown-domain', 'There is no such domain', {
    detail: `"${name}" has not been added.`,
    hint: known === '' ? `Add it: verbalis domains add ${name}` : `There are: ${known}.`,
  });
}

/** A domain as the DNS writes it. @throws Refusal */
export function domainName(given: string, path: string): string {
  const address = parseAddress(`postmaster@${given.trim().replace(/\.$/, '')}`);
  if (isFault(address) || address.domain.startsWith('[') || !address.domain.includes('.'))
    throw invalid([{ path, message: 'is not a valid domain', hint: 'A domain looks like "host.example".' }]);
  return address.domain.toLowerCase();
}
