import { lookup as lookUp, type LookupAddress } from 'node:dns';
import { isIP } from 'node:net';
import ipaddr from 'ipaddr.js';
import { Agent, request } from 'undici';

/** Where the service may go when an address comes from outside of its configuration. */
export interface OutsideRules {
  /** Hosts, "host:port" or networks ("10.0.0.0/8") of private networks that are allowed all the same. */
  readonly allow: readonly string[];
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

const PUBLIC: ReadonlySet<string> = new Set(['unicast']);

/** Whether an IP address is not of the public Internet: loopback, private, link-local, documentation … (RFC 6890). */
export function isInside(address: string): boolean {
  if (!ipaddr.isValid(address)) return true;
  const parsed = ipaddr.process(address);
  if (parsed.kind() === 'ipv6') {
    const range = parsed.range();
    // What carries an IPv4 address inside is what that is.
    if (range === 'rfc6052') return isInside(parsed.toByteArray().slice(12).join('.'));
    return !PUBLIC.has(range);
  }
  return !PUBLIC.has(parsed.range());
}

function isAllowed(address: string, host: string, rules: OutsideRules): boolean {
  if (!isInside(address)) return true;
  return rules.allow.some((entry) => {
    if (entry === host || entry === address) return true;
    if (!entry.includes('/')) return false;
    try {
      const parsed = ipaddr.process(address);
      const [network, bits] = ipaddr.parseCIDR(entry);
      if (network instanceof ipaddr.IPv4) return parsed instanceof ipaddr.IPv4 && parsed.match(network, bits);
      return parsed instanceof ipaddr.IPv6 && parsed.match(network, bits);
    } catch {
      return false;
    }
  });
}

/**
 * Connections that reach no private network: checked on the addresses that are really connected to, after the name was looked up, so that
 * a name cannot change its mind in between.
 */
export function outsideAgent(rules: OutsideRules, waitMs: number, connections?: number): Agent {
  return new Agent({
    ...(connections === undefined ? {} : { connections }),
    connect: {
      timeout: waitMs,
      lookup: (host, options, callback) => {
        lookUp(host, { ...options, all: true }, (error, found) => {
          if (error !== null) {
            callback(error, '', 0);
            return;
          }
          const allowed = found.filter((lookup) => isAllowed(lookup.address, host, rules));
          const [first] = allowed;
          if (first === undefined) {
            const refusal = Object.assign(
              new Error(`${host} is in a private network (${found.map((lookup) => lookup.address).join(', ')})`),
              {
                code: 'EPRIVATE',
              },
            );
            callback(refusal, '', 0);
          } else if (options.all === true) {
            (callback as unknown as (error: null, all: LookupAddress[]) => void)(null, allowed);
          } else callback(null, first.address, first.family);
        });
      },
    },
    headersTimeout: waitMs,
    bodyTimeout: waitMs,
  });
}

/** Says no to an address that is written as digits, which no look-up would see. @throws OutsideFault */
export function refuseInside(url: URL, rules: OutsideRules): void {
  if (url.protocol !== 'https:' && url.protocol !== 'http:') throw new OutsideFault(`${url.protocol} addresses are not fetched.`);
  if (url.username !== '' || url.password !== '') throw new OutsideFault('An address may not hold a user and password.');
  const host = url.hostname.replace(/^\[|\]$/g, '');
  if (isIP(host) !== 0 && !isAllowed(host, host, rules)) throw new OutsideFault(`${host} is in a private network.`);
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
  const agent = outsideAgent(rules, waitMs);
  try {
    let url = new URL(address);
    for (let turn = 0; turn <= MOST_REDIRECTS; turn += 1) {
      refuseInside(url, rules);
      const response = await request(url, { dispatcher: agent, signal: AbortSignal.timeout(waitMs) });
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
    void agent.close();
  }
}
