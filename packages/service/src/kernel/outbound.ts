import { lookup as lookUp, type LookupAddress } from 'node:dns';
import { isIP } from 'node:net';
import ipaddr from 'ipaddr.js';
import { LRUCache } from 'lru-cache';
import type { buildConnector } from 'undici';
import { httpConnections, type HttpConnections } from './http-connections.js';
import { networks, plainAddress } from './networks.js';

/** Where the service may go when an address comes from outside of its configuration. */
export interface OutsideRules {
  /** Hosts, "host:port" or networks ("10.0.0.0/8") of private networks that are allowed all the same. */
  readonly allow: readonly string[];
  /** Whether an address is one of those that are meant at all; redirects are held to it too. */
  readonly mayGo?: (url: string) => boolean;
}

/** An address that the service does not go to, or that gave nothing. */
export class OutsideFault extends Error {
  override name = 'OutsideFault';
  /** Whether trying again may help. */
  readonly passing: boolean;
  constructor(message: string, { passing = false } = {}) {
    super(message);
    this.passing = passing;
  }
}

/**
 * Networks that are not of the public Internet (IANA, special-purpose address registries, RFC 6890). Of IPv6 only 2000::/3 is given out; what of it
 * is special is named.
 */
const SPECIAL_V4 =
  '0.0.0.0/8 10.0.0.0/8 100.64.0.0/10 127.0.0.0/8 169.254.0.0/16 172.16.0.0/12 192.0.0.0/24 192.0.2.0/24 192.88.99.0/24 192.168.0.0/16 ' +
  '198.18.0.0/15 198.51.100.0/24 203.0.113.0/24 224.0.0.0/4 240.0.0.0/4';
const SPECIAL_V6 = '2001::/23 2001:db8::/32 2002::/16 3fff::/20';
const isSpecial = networks(`${SPECIAL_V4} ${SPECIAL_V6}`.split(' '));
const isGiven = networks(['2000::/3']);

/** Whether an IP address is not of the public Internet: loopback, private, link-local, documentation … */
export function isInside(address: string): boolean {
  if (!ipaddr.isValid(address)) return true;
  const parsed = ipaddr.process(address);
  if (parsed.kind() === 'ipv4') return isSpecial(parsed.toString());
  // What carries an IPv4 address inside (RFC 6052) is what that is.
  if (parsed.range() === 'rfc6052') return isInside(parsed.toByteArray().slice(12).join('.'));
  const text = parsed.toString();
  return !isGiven(text) || isSpecial(text);
}

/** The target of a connection. */
interface Destination {
  /** An IP address. */
  readonly address: string;
  /** As it was asked for: a name, or the address. */
  readonly host: string;
  readonly port: number;
}

/** "host", "host:port", "[address]:port": the port is undefined where any will do. */
function readEntry(entry: string): { readonly host: string; readonly port: number | undefined } {
  const found = /^(?:\[([^\]]+)\]|([^:]+)):(\d{1,5})$/.exec(entry);
  return found === null ? { host: entry, port: undefined } : { host: found[1] ?? found[2] ?? '', port: Number(found[3]) };
}

function isAllowed({ address, host, port }: Destination, rules: OutsideRules): boolean {
  if (!isInside(address)) return true;
  return rules.allow.some((entry) => {
    const allowed = readEntry(entry);
    if (allowed.port !== undefined && allowed.port !== port) return false;
    if (allowed.host === host || allowed.host === address) return true;
    if (!entry.includes('/')) return false;
    try {
      return networks([entry])(plainAddress(address));
    } catch {
      return false;
    }
  });
}

/** The port that a URL leads to. */
function portOf({ port, protocol }: Pick<URL, 'port' | 'protocol'>): number {
  return port === '' ? (protocol === 'https:' ? 443 : 80) : Number(port);
}

/** Connects to a port, and looks names up so that no private network is reached that is not allowed. */
function connectorTo(
  build: typeof buildConnector,
  port: number,
  { rules, waitMs }: { readonly rules: OutsideRules; readonly waitMs: number },
): buildConnector.connector {
  return build({
    timeout: waitMs,
    lookup: (host, options, callback) => {
      lookUp(host, { ...options, all: true }, (error, found) => {
        if (error !== null) {
          callback(error, '', 0);
          return;
        }
        const allowed = found.filter(({ address }) => isAllowed({ address, host, port }, rules));
        const [first] = allowed;
        if (first === undefined) {
          const at = found.map(({ address }) => address).join(', ');
          callback(Object.assign(new Error(`${host} is in a private network (${at})`), { code: 'EPRIVATE' }), '', 0);
        } else if (options.all === true) {
          (callback as unknown as (error: null, all: LookupAddress[]) => void)(null, allowed);
        } else callback(null, first.address, first.family);
      });
    },
  });
}

/**
 * Connections that reach no private network: checked on the addresses that are really connected to, after the name was looked up, so that
 * a name cannot change its mind in between.
 */
export function outsideConnections(rules: OutsideRules, waitMs: number, connections?: number): HttpConnections {
  const connectors = new LRUCache<number, buildConnector.connector>({ max: 100 });
  return httpConnections(
    ({ Agent, buildConnector: build }) =>
      new Agent({
        ...(connections === undefined ? {} : { connections }),
        connect: (options, callback) => {
          const port = portOf(options);
          let connector = connectors.get(port);
          if (connector === undefined) connectors.set(port, (connector = connectorTo(build, port, { rules, waitMs })));
          connector(options, callback);
        },
        headersTimeout: waitMs,
        bodyTimeout: waitMs,
      }),
  );
}

/** Says no to an address that is written as digits, which no look-up would see. @throws OutsideFault */
export function refuseInside(url: URL, rules: OutsideRules): void {
  if (url.protocol !== 'https:' && url.protocol !== 'http:') throw new OutsideFault(`${url.protocol} addresses are not fetched.`);
  if (url.username !== '' || url.password !== '') throw new OutsideFault('An address may not hold a user and password.');
  if (rules.mayGo?.(url.href) === false) throw new OutsideFault(`${url.host} is not one of the hosts that are allowed.`);
  const host = url.hostname.replace(/^\[|\]$/g, '');
  if (isIP(host) !== 0 && !isAllowed({ address: host, host, port: portOf(url) }, rules))
    throw new OutsideFault(`${host} is in a private network.`);
}

const MOST_REDIRECTS = 3;

/**
 * Fetches what stands at an address that came from outside.
 * @param most bytes at most
 * @throws OutsideFault
 */
export async function fetchOutside(
  address: string,
  rules: OutsideRules,
  most: number,
  waitMs: number,
): Promise<{ readonly bytes: Buffer; readonly type: string }> {
  const connections = outsideConnections(rules, waitMs);
  try {
    let url = new URL(address);
    for (let turn = 0; turn <= MOST_REDIRECTS; turn += 1) {
      refuseInside(url, rules);
      const response = await connections.request(url, { signal: AbortSignal.timeout(waitMs) });
      const location = response.headers['location'];
      if (response.statusCode >= 300 && response.statusCode < 400 && typeof location === 'string') {
        await response.body.dump();
        url = new URL(location, url);
        continue;
      }
      if (response.statusCode !== 200) {
        await response.body.dump();
        const passing = response.statusCode === 429 || response.statusCode >= 500;
        throw new OutsideFault(`${address} answers ${response.statusCode}.`, { passing });
      }
      const chunks: Buffer[] = [];
      let size = 0;
      for await (const chunk of response.body as AsyncIterable<Buffer>) {
        size += chunk.length;
        if (size > most) throw new OutsideFault(`${address} has more than ${most} bytes.`);
        chunks.push(chunk);
      }
      const type = response.headers['content-type'];
      return { bytes: Buffer.concat(chunks, size), type: (typeof type === 'string' ? type : '').split(';')[0]?.trim() ?? '' };
    }
    throw new OutsideFault(`${address} redirects more than ${MOST_REDIRECTS} times.`);
  } catch (error) {
    if (error instanceof OutsideFault) throw error;
    const { code, cause } = error as NodeJS.ErrnoException & { cause?: NodeJS.ErrnoException };
    const fault = code ?? cause?.code;
    const message = error instanceof Error ? error.message : String(error);
    throw new OutsideFault(`${address} could not be fetched: ${message}.`, {
      passing: fault !== 'EPRIVATE' && !(error instanceof TypeError),
    });
  } finally {
    void connections.close();
  }
}

/** Milliseconds until the time that a Retry-After names (RFC 9110 10.2.3): seconds, or a date. */
export function retryAfterMs(value: string | readonly string[] | undefined, now: number): number | undefined {
  if (typeof value !== 'string') return undefined;
  if (/^\s*\d{1,9}\s*$/.test(value)) return Number(value) * 1000;
  const at = Date.parse(value);
  return Number.isNaN(at) ? undefined : Math.max(0, at - now);
}
