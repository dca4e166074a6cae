import { createSocket } from 'node:dgram';
import { createServer, type AddressInfo, type Socket } from 'node:net';
import { characterStrings } from '@verbalis/core/domains';
import dnsPacket, { type Answer, type Packet } from 'dns-packet';

/** A record of a simulated zone. */
export interface SimulatedRecord {
  /** Without a dot at its end. */
  readonly name: string;
  readonly type: 'A' | 'AAAA' | 'CNAME' | 'MX' | 'NS' | 'TXT';
  /** An address, a host, a text; of MX "10 host". */
  readonly value: string;
  /** Seconds. */
  readonly ttl?: number;
}

export interface NameServerSimulator {
  readonly host: string;
  readonly port: number;
  /** Sets all records of a zone; SOA and NS are added. @param negativeTtl how long others may keep it that something is missing, in seconds */
  readonly setZone: (zone: string, records: readonly SimulatedRecord[], negativeTtl?: number) => void;
  readonly recordsOf: (zone: string) => readonly SimulatedRecord[];
  readonly close: () => Promise<void>;
}

interface Zone {
  readonly records: readonly SimulatedRecord[];
  readonly negativeTtl: number;
}

const TTL = 300;
const NEGATIVE_TTL = 60;
const PLAIN_UDP = 512;

/** The name of the simulated server. */
const SERVER = 'ns.simulated.example';

/**
 * A name server that is the authoritative one for every zone that it is given, and the resolver: for a machine without a network.
 * It answers A, AAAA, CNAME, MX, NS, SOA and TXT, by UDP and TCP.
 */
export async function startNameServer({
  host = '127.0.0.1',
  port = 0,
}: { readonly host?: string; readonly port?: number } = {}): Promise<NameServerSimulator> {
  const zones = new Map<string, Zone>();
  const open = new Set<Socket>();
  const tcp = createServer((socket) => {
    open.add(socket);
    let bytes = Buffer.alloc(0);
    socket.on('error', () => socket.destroy());
    socket.on('close', () => open.delete(socket));
    socket.on('data', (piece) => {
      bytes = Buffer.concat([bytes, piece]);
      while (bytes.length >= 2 && bytes.length >= 2 + bytes.readUInt16BE(0)) {
        const length = bytes.readUInt16BE(0);
        const reply = answered(zones, bytes.subarray(2, 2 + length));
        bytes = bytes.subarray(2 + length);
        if (reply !== undefined) socket.write(dnsPacket.streamEncode(reply.packet));
      }
    });
  });
  await new Promise<void>((done, fail) => tcp.once('error', fail).listen(port, host, done));
  const bound = (tcp.address() as AddressInfo).port;
  const udp = createSocket(host.includes(':') ? 'udp6' : 'udp4');
  udp.on('message', (bytes, from) => {
    const reply = answered(zones, bytes);
    if (reply === undefined) return;
    const whole = dnsPacket.encode(reply.packet);
    // A client repeats a truncated query over TCP (RFC 1035 4.2.1).
    const cut: Packet = { ...reply.packet, flags: (reply.packet.flags ?? 0) | dnsPacket.TRUNCATED_RESPONSE, answers: [] };
    udp.send(whole.length > reply.most ? dnsPacket.encode(cut) : whole, from.port, from.address);
  });
  await new Promise<void>((done, fail) => {
    udp.once('error', fail);
    udp.bind(bound, host, done);
  });
  return {
    host,
    port: bound,
    setZone(zone, records, negativeTtl = NEGATIVE_TTL) {
      const own: SimulatedRecord[] = [
        { name: zone, type: 'NS', value: SERVER },
        { name: SERVER, type: 'A', value: host },
      ];
      zones.set(zone, { records: [...own, ...records], negativeTtl });
    },
    recordsOf: (zone) => zones.get(zone)?.records ?? [],
    async close() {
      for (const socket of open) socket.destroy();
      await new Promise((done) => tcp.close(done));
      await new Promise<void>((done) => {
        udp.close(done);
      });
    },
  };
}

function answered(zones: ReadonlyMap<string, Zone>, bytes: Buffer): { readonly packet: Packet; readonly most: number } | undefined {
  let query: Packet;
  try {
    query = dnsPacket.decode(bytes);
  } catch {
    return undefined;
  }
  const [question] = query.questions ?? [];
  if (query.type !== 'query' || question === undefined) return undefined;
  const name = question.name.toLowerCase();
  const zone = [...zones.keys()].filter((own) => name === own || name.endsWith(`.${own}`)).sort((a, b) => b.length - a.length)[0];
  const all = [...zones.values()].flatMap(({ records }) => records);
  const answers: Answer[] = [];
  let at = name;
  for (let hops = 0; hops < 8; hops += 1) {
    const alias = all.find((record) => record.name === at && record.type === 'CNAME');
    if (alias === undefined || question.type === 'CNAME') break;
    answers.push(answerOf(alias));
    at = alias.value.toLowerCase();
  }
  answers.push(...all.filter((record) => record.name === at && record.type === question.type).map(answerOf));
  const soa = zone === undefined ? [] : [soaOf(zone, zones.get(zone)?.negativeTtl ?? 0)];
  if (question.type === 'SOA' && name === zone) answers.push(...soa);
  const isThere = all.some((record) => record.name === at || record.name.endsWith(`.${at}`));
  const edns = (query.additionals ?? []).find(({ type }) => type === 'OPT') as { readonly udpPayloadSize?: number } | undefined;
  const packet: Packet = {
    type: 'response',
    id: query.id ?? 0,
    // The lowest four bits are the response code (RFC 1035 4.1.1): 3 is NXDOMAIN.
    flags: (zone === undefined ? 0 : dnsPacket.AUTHORITATIVE_ANSWER) | (isThere ? 0 : 3),
    questions: [question],
    answers,
    authorities: answers.length === 0 ? soa : [],
  };
  return { packet, most: edns?.udpPayloadSize ?? PLAIN_UDP };
}

function soaOf(zone: string, minimum: number): Answer {
  const data = { mname: SERVER, rname: `hostmaster.${zone}`, serial: 1, refresh: 3600, retry: 600, expire: 86_400, minimum };
  return { name: zone, type: 'SOA', ttl: TTL, data };
}

function answerOf({ name, type, value, ttl = TTL }: SimulatedRecord): Answer {
  if (type === 'TXT') return { name, type, ttl, data: characterStrings(value) };
  if (type !== 'MX') return { name, type, ttl, data: value };
  const [priority = '0', exchange = '.'] = value.split(' ');
  return { name, type, ttl, data: { preference: Number(priority), exchange } };
}
