import { randomInt } from 'node:crypto';
import { createSocket } from 'node:dgram';
import { connect } from 'node:net';
import dnsPacket, { type Answer, type Packet } from 'dns-packet';

/** Types that can be asked for. SPF (99) is the one that RFC 7208 3.1 gave up. */
export type QueryType = 'A' | 'AAAA' | 'CNAME' | 'MX' | 'NS' | 'PTR' | 'SOA' | 'TXT' | 'SPF';

export interface DnsQuery {
  readonly name: string;
  readonly type: QueryType;
  readonly address: string;
  readonly port: number;
  /** For resolvers: go and ask others (RD). */
  readonly isRecursive: boolean;
  /** For resolvers that check signatures: answer also with what does not pass (CD, RFC 4035 3.2.2). */
  readonly isUnchecked?: boolean;
  /** For the whole query, in milliseconds. */
  readonly waitMs: number;
}

/** One resource record of an answer. */
export interface DnsRecordData {
  /** In lower case, without a dot at its end. */
  readonly name: string;
  readonly type: string;
  /** Seconds. */
  readonly ttl: number;
  /** An address, a host in lower case, or the strings of a text joined. */
  readonly value: string;
  /** Of MX. */
  readonly priority?: number;
  /** Of SOA: how long others may keep it that something is missing. */
  readonly minimum?: number;
}

export interface DnsReply {
  /** RFC 1035 4.1.1: "NOERROR", "NXDOMAIN", "SERVFAIL", "REFUSED" … */
  readonly rcode: string;
  readonly isAuthoritative: boolean;
  readonly answers: readonly DnsRecordData[];
  readonly authorities: readonly DnsRecordData[];
}

/** So much is taken by UDP without pieces getting lost (DNS flag day 2020); what is longer comes by TCP. */
const UDP_BYTES = 1232;
const TRIES = 2;

/** A packet as it is decoded: the package's type leaves out some fields. */
type Decoded = Packet & { readonly rcode?: string; readonly flag_aa?: boolean; readonly flag_tc?: boolean };

/** Asks one name server one question (RFC 1035), by UDP and, where the answer is too long, by TCP. @returns undefined where no answer came */
export async function queryDns(query: DnsQuery): Promise<DnsReply | undefined> {
  for (let attempt = 0; attempt < TRIES; attempt += 1) {
    const packet = await overUdp(query, query.waitMs / TRIES);
    if (packet === undefined) continue;
    const whole = packet.flag_tc === true ? await overTcp(query, query.waitMs) : packet;
    return whole === undefined ? undefined : replyOf(whole);
  }
  return undefined;
}

function encoded({ name, type, isRecursive, isUnchecked = false }: DnsQuery, id: number): Packet {
  return {
    type: 'query',
    id,
    flags: (isRecursive ? dnsPacket.RECURSION_DESIRED : 0) | (isUnchecked ? dnsPacket.CHECKING_DISABLED : 0),
    // The type list of the package has no SPF; its encoder does.
    questions: [{ name, type: type as 'TXT' }],
    additionals: [
      { type: 'OPT', name: '.', udpPayloadSize: UDP_BYTES, flags: 0, flag_do: false, extendedRcode: 0, ednsVersion: 0, options: [] },
    ],
  };
}

/** Whether a packet answers a question: anybody can send us one. */
function isAnswer(packet: Decoded, { name, type }: DnsQuery, id: number): boolean {
  const [question] = packet.questions ?? [];
  // A server that could not read the question may leave it out.
  if (packet.id !== id || packet.type !== 'response') return false;
  if (question === undefined) return packet.rcode !== 'NOERROR';
  return question.name.toLowerCase() === name.toLowerCase() && (question.type as string) === type;
}

function overUdp(query: DnsQuery, waitMs: number): Promise<Decoded | undefined> {
  return new Promise((done) => {
    const socket = createSocket(query.address.includes(':') ? 'udp6' : 'udp4');
    const id = randomInt(65_536);
    const end = (packet?: Decoded): void => {
      clearTimeout(handle);
      socket.removeAllListeners();
      // What still comes in while it closes is nobody's.
      socket.on('error', () => undefined);
      socket.close();
      done(packet);
    };
    const handle = setTimeout(end, waitMs);
    socket.on('error', () => {
      end();
    });
    socket.on('message', (bytes) => {
      const packet = decoded(() => dnsPacket.decode(bytes));
      if (packet !== undefined && isAnswer(packet, query, id)) end(packet);
    });
    // Connected, it hears that server only, and hears at once that nobody listens there.
    socket.connect(query.port, query.address, () => {
      socket.send(dnsPacket.encode(encoded(query, id)));
    });
  });
}

function overTcp(query: DnsQuery, waitMs: number): Promise<Decoded | undefined> {
  return new Promise((done) => {
    const socket = connect({ host: query.address, port: query.port });
    const id = randomInt(65_536);
    let bytes = Buffer.alloc(0);
    const end = (packet?: Decoded): void => {
      clearTimeout(handle);
      socket.destroy();
      done(packet);
    };
    const handle = setTimeout(end, waitMs);
    socket.on('error', () => {
      end();
    });
    socket.on('close', () => {
      end();
    });
    socket.on('connect', () => socket.write(dnsPacket.streamEncode(encoded(query, id))));
    socket.on('data', (piece) => {
      bytes = Buffer.concat([bytes, piece]);
      // Two octets say how long the message is (RFC 1035 4.2.2): 65,535 at most.
      if (bytes.length < 2 || bytes.length < 2 + bytes.readUInt16BE(0)) return;
      const packet = decoded(() => dnsPacket.decode(bytes.subarray(2, 2 + bytes.readUInt16BE(0))));
      end(packet !== undefined && isAnswer(packet, query, id) ? packet : undefined);
    });
  });
}

/** What cannot be decoded is no answer. */
function decoded(decode: () => Packet): Decoded | undefined {
  try {
    return decode();
  } catch {
    return undefined;
  }
}

function replyOf(packet: Decoded): DnsReply {
  return {
    rcode: packet.rcode ?? 'NOERROR',
    isAuthoritative: packet.flag_aa === true,
    answers: (packet.answers ?? []).flatMap(recordOf),
    authorities: (packet.authorities ?? []).flatMap(recordOf),
  };
}

const plainName = (name: string): string => name.toLowerCase().replace(/\.$/, '');

function recordOf(answer: Answer): DnsRecordData[] {
  const shared = { name: plainName(answer.name), type: answer.type as string, ttl: 'ttl' in answer ? (answer.ttl ?? 0) : 0 };
  // Others are of no use here.
  // oxlint-disable-next-line typescript/switch-exhaustiveness-check
  switch (answer.type) {
    case 'A':
    case 'AAAA':
      return [{ ...shared, value: answer.data }];
    case 'CNAME':
    case 'NS':
    case 'PTR':
      return [{ ...shared, value: plainName(answer.data) }];
    case 'MX':
      return [{ ...shared, value: plainName(answer.data.exchange), priority: answer.data.preference ?? 0 }];
    case 'SOA':
      return [{ ...shared, value: plainName(answer.data.mname), minimum: answer.data.minimum ?? 0 }];
    case 'TXT':
      return [{ ...shared, value: joined([answer.data].flat().map((string) => Buffer.from(string))) }];
    default:
      return shared.type === 'SPF' && Buffer.isBuffer((answer as { data?: unknown }).data)
        ? [{ ...shared, value: joined(stringsOf((answer as unknown as { data: Buffer }).data)) }]
        : [];
  }
}

const joined = (strings: readonly Buffer[]): string => Buffer.concat(strings).toString('utf8');

/** The character strings of a record whose type the package does not take apart (RFC 1035 3.3). */
function stringsOf(bytes: Buffer): Buffer[] {
  const out: Buffer[] = [];
  for (let at = 0; at < bytes.length; at += 1 + (bytes[at] ?? 0)) out.push(bytes.subarray(at + 1, at + 1 + (bytes[at] ?? 0)));
  return out;
}
