import type { RequestHandler } from 'express';
import { isLocalName, Refusal } from '../kernel/index.js';

/** The name of the host that an address leads to; undefined for an IP address, and for no address. */
export function hostNameOf(url: string | undefined): string | undefined {
  const name = url === undefined ? '' : new URL(url).hostname;
  return name === '' || isLocalName(name) ? undefined : name.toLowerCase();
}

/** An address of the service under another name: scheme and port stay. */
export function underHost(url: string, host: string): string {
  const { protocol, port } = new URL(url);
  return `${protocol}//${host}${port === '' ? '' : `:${port}`}`;
}

export interface HostRules {
  readonly publicUrl: string | undefined;
  /** Other names of the service; undefined where every name is answered. */
  readonly names: readonly string[] | undefined;
  /** Whether links of emails lead, or once led, to a host. */
  readonly isLinkHost: (host: string) => boolean;
}

/** The names of the service, in small letters. */
function hostNames({ publicUrl, names = [] }: Pick<HostRules, 'publicUrl' | 'names'>): string[] {
  return [...names, ...[hostNameOf(publicUrl)].flatMap((name) => name ?? [])].map((name) => name.toLowerCase());
}

/** Names that readers of email are answered at, beside hosts of links; undefined where every name is answered. */
export function readerHosts(rules: Pick<HostRules, 'publicUrl' | 'names'>): string[] | undefined {
  return rules.publicUrl === undefined && rules.names === undefined ? undefined : hostNames(rules);
}

/** What readers of email come to, on a host of links too. */
const PAGES = /^\/(?:go|image|unsubscribe|preferences|join|assets)(?:\/|$)/;

/**
 * Several hosts on one listener. A host of links has the pages for readers of email and nothing else; a host that nobody has named has none of
 * them, and nothing at all where the names of the service are listed.
 */
export function hostCheck({ publicUrl, names, isLinkHost }: HostRules): RequestHandler {
  const own = new Set(hostNames({ publicUrl, names }));
  const isKnown = (host: string): boolean => isLocalName(host) || own.has(host);
  const isRestricted = names !== undefined;
  const hasPages = publicUrl !== undefined;
  return (request, _response, next) => {
    const host = request.hostname.toLowerCase();
    const isPage = PAGES.test(request.path);
    const isFine = isKnown(host) || (isLinkHost(host) ? isPage : !isRestricted && !(isPage && hasPages));
    if (isFine) next();
    else
      next(
        new Refusal(404, 'not-found', 'There is nothing at this host', {
          detail: `${host} is not a host of this service for such an address.`,
        }),
      );
  };
}
