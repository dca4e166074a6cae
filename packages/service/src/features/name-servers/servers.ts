import { getServers } from 'node:dns';
import type { NameServers, ZoneAnswer, ZoneServers, ZoneType } from '@verbalis/core/domains';
import pLimit from 'p-limit';
import { getPublicSuffix } from 'tldts';
import { queryDns, type DnsQuery, type DnsReply } from '../../kernel/index.js';
import { readServer, type NameServerSettings } from './settings.js';

/** Questions at once, of all checks together. */
const AT_ONCE = 40;
/** A zone has 13 servers at most that fit into one answer; each has an address of either kind or two. */
const [MOST_SERVERS, MOST_ADDRESSES] = [13, 4];

type Server = Pick<DnsQuery, 'address' | 'port'>;

/** Asks one server. Another one is given in tests. */
export type Query = (query: DnsQuery) => Promise<DnsReply | undefined>;

/** Gives the name servers as they are for one check: each question is asked once within it. */
export type OpenNameServers = () => NameServers;

/** The DNS as it is configured. */
export function nameServersOf({ servers, port, waitSeconds }: NameServerSettings, query: Query = queryDns): OpenNameServers {
  const limit = pLimit(AT_ONCE);
  const waitMs = waitSeconds * 1000;
  const resolvers = (servers.length === 0 ? getServers() : servers).flatMap((text) => readServer(text) ?? []);
  const ask = (server: Server, question: Pick<DnsQuery, 'name' | 'type' | 'isRecursive' | 'isUnchecked'>): Promise<DnsReply | undefined> =>
    limit(() => query({ ...question, ...server, waitMs }));
  return () => new Asked({ resolvers, port, ask });
}

interface Options {
  readonly resolvers: readonly Server[];
  readonly port: number;
  readonly ask: (
    server: Server,
    question: Pick<DnsQuery, 'name' | 'type' | 'isRecursive' | 'isUnchecked'>,
  ) => Promise<DnsReply | undefined>;
}

class Asked implements NameServers {
  readonly #known = new Map<string, Promise<DnsReply | undefined>>();
  /** Addresses that gave no answer: within one check they are not waited for again. */
  readonly #silent = new Set<string>();
  /** Addresses of authoritative servers, by their names. */
  readonly #addresses = new Map<string, Promise<string[]>>();
  readonly #zones = new Map<string, Promise<ZoneServers | { readonly problem: string }>>();

  constructor(private readonly options: Options) {}

  readonly askResolver = async (name: string, type: ZoneType, isUnchecked = false): Promise<ZoneAnswer> =>
    answerOf(await this.#resolve(name, type, isUnchecked), name, type);

  readonly askServer = async (server: string, name: string, type: ZoneType): Promise<ZoneAnswer> => {
    for (const address of await this.#addressesOf(server)) {
      if (this.#silent.has(address)) continue;
      const reply = await this.#once(`${address} ${type} ${name}`, () =>
        this.options.ask({ address, port: this.options.port }, { name, type, isRecursive: false }),
      );
      if (reply === undefined) {
        this.#silent.add(address);
        continue;
      }
      // A server that does not answer for the zone is as good as none (a lame delegation).
      const isLame = !reply.isAuthoritative && reply.answers.length === 0;
      return isLame ? { status: 'failed', why: 'refused' } : answerOf(reply, name, type);
    }
    return { status: 'failed', why: 'no answer' };
  };

  readonly serversOf = (name: string): Promise<ZoneServers | { readonly problem: string }> => {
    let zone = this.#zones.get(name);
    if (zone === undefined) this.#zones.set(name, (zone = this.#find(name)));
    return zone;
  };

  /** The zone of a name is where the first NS records are on the way up. */
  async #find(name: string): Promise<ZoneServers | { readonly problem: string }> {
    const labels = name.split('.');
    if (this.options.resolvers.length === 0) return { problem: 'No resolver is configured (dns.servers), and the system has none.' };
    let failed: string | undefined;
    for (let from = 0; from < labels.length; from += 1) {
      const zone = labels.slice(from).join('.');
      const reply = await this.#resolve(zone, 'NS', true);
      if (reply === undefined) return { problem: `The resolver does not answer (${this.#resolverNames()}).` };
      if (reply.rcode !== 'NOERROR' && reply.rcode !== 'NXDOMAIN') failed ??= reply.rcode;
      const servers = reply.answers.filter((record) => record.type === 'NS' && record.name === zone).map(({ value }) => value);
      if (servers.length === 0) continue;
      if (isPublic(zone) && zone !== name) break;
      return { zone, servers: [...new Set(servers)].sort().slice(0, MOST_SERVERS), negativeTtl: await this.#negativeTtl(zone) };
    }
    if (failed !== undefined) return { problem: `The resolver answers ${failed} for ${name}; the servers of the zone may be down.` };
    return { problem: `No zone is known for ${name}: the domain is not registered, or its registry names no servers for it.` };
  }

  async #negativeTtl(zone: string): Promise<number> {
    const reply = await this.#resolve(zone, 'SOA', true);
    const soa = reply?.answers.find(({ type }) => type === 'SOA');
    return soa === undefined ? 0 : Math.min(soa.ttl, soa.minimum ?? 0);
  }

  #resolverNames(): string {
    return this.options.resolvers.map(({ address, port }) => (port === 53 ? address : `${address} port ${port}`)).join(', ');
  }

  #addressesOf(server: string): Promise<string[]> {
    let found = this.#addresses.get(server);
    if (found === undefined) {
      found = Promise.all([this.#resolve(server, 'A', true), this.#resolve(server, 'AAAA', true)]).then((replies) =>
        replies
          .flatMap((reply) => reply?.answers ?? [])
          .flatMap(({ type, value }) => (type === 'A' || type === 'AAAA' ? [value] : []))
          .slice(0, MOST_ADDRESSES),
      );
      this.#addresses.set(server, found);
    }
    return found;
  }

  #resolve(name: string, type: DnsQuery['type'], isUnchecked: boolean): Promise<DnsReply | undefined> {
    return this.#once(`resolver ${isUnchecked} ${type} ${name}`, async () => {
      for (const server of this.options.resolvers) {
        const reply = await this.options.ask(server, { name, type, isRecursive: true, isUnchecked });
        if (reply !== undefined) return reply;
      }
      return undefined;
    });
  }

  #once(key: string, run: () => Promise<DnsReply | undefined>): Promise<DnsReply | undefined> {
    let reply = this.#known.get(key);
    if (reply === undefined) this.#known.set(key, (reply = run()));
    return reply;
  }
}

/** Whether others register domains directly under a name. */
function isPublic(zone: string): boolean {
  return !zone.includes('.') || getPublicSuffix(zone, { allowPrivateDomains: false }) === zone;
}

/** What a reply says to a question. Aliases within it are followed. */
function answerOf(reply: DnsReply | undefined, name: string, type: ZoneType): ZoneAnswer {
  if (reply === undefined) return { status: 'failed', why: 'no answer' };
  if (reply.rcode !== 'NOERROR' && reply.rcode !== 'NXDOMAIN')
    return {
      status: 'failed',
      why: reply.rcode === 'SERVFAIL' ? 'server failure' : reply.rcode === 'REFUSED' ? 'refused' : 'not an answer',
    };
  const aliasOf = (of: string): string | undefined => reply.answers.find((record) => record.type === 'CNAME' && record.name === of)?.value;
  const own = name.toLowerCase();
  const alias = aliasOf(own);
  let at = own;
  for (let hops = 0; type !== 'CNAME' && hops < 16; hops += 1) {
    const next = aliasOf(at);
    if (next === undefined) break;
    at = next;
  }
  const records = reply.answers
    .filter((record) => record.type === type && record.name === at)
    .map(({ value, ttl, priority }) => ({ value, ttl, ...(priority === undefined ? {} : { priority }) }));
  const more = alias === undefined ? {} : { alias: at === own ? alias : at };
  if (records.length > 0) return { status: 'found', records, ...more };
  return { status: 'none', isNameMissing: reply.rcode === 'NXDOMAIN', ...more };
}
