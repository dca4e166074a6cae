import type { AnswerRecord, NameServers, ZoneAnswer, ZoneType } from './servers.js';

/** Records by "NAME TYPE". */
export type Records = Readonly<Record<string, readonly string[]>>;

/** Name servers for tests: two that answer for the zone, and a resolver. What they have is the same unless something else is given for one. */
export interface World {
  readonly zone: string;
  readonly records: Records;
  readonly second?: Records;
  readonly resolver?: Records;
  /** What the resolver answers with when it is asked not to check. */
  readonly unchecked?: Records;
  /** Servers that do not answer: "ns1.example", "ns2.example", "resolver". */
  readonly silent?: readonly string[];
  /** Names for which the resolver fails. */
  readonly bogus?: readonly string[];
  /** Answers with records and an alias beside each other, which no correct server does. */
  readonly isLenient?: boolean;
}

function answerOf(records: Records, name: string, type: ZoneType, isLenient: boolean): ZoneAnswer {
  const at = (of: string): readonly string[] | undefined => records[`${of} ${type}`];
  const aliasAt = (of: string): string | undefined => records[`${of} CNAME`]?.[0];
  const known = Object.keys(records).map((key) => key.split(' ')[0] ?? '');
  const exists = known.some((entry) => entry === name || entry.endsWith(`.${name}`));
  const own = exists ? name : `*.${name.slice(name.indexOf('.') + 1)}`;
  const alias = aliasAt(own);
  if (alias !== undefined && type === 'CNAME') return { status: 'found', records: [record(alias)], alias };
  const found = at(own);
  if (alias !== undefined && !(isLenient && found !== undefined)) {
    const there = alias === name ? undefined : answerOf(records, alias, type, isLenient);
    return there?.status === 'found' ? { ...there, alias } : { status: 'none', isNameMissing: false, alias };
  }
  if (found === undefined || found.length === 0) return { status: 'none', isNameMissing: !exists };
  return { status: 'found', records: found.map((text) => record(text, type)) };
}

function record(text: string, type: ZoneType = 'CNAME'): AnswerRecord {
  if (type !== 'MX') return { value: text, ttl: 300 };
  const [priority = '0', host = ''] = text.split(' ');
  return { value: host.toLowerCase(), priority: Number(priority), ttl: 300 };
}

export function nameServers(world: World): NameServers {
  const { records, second = records, resolver = records, unchecked = resolver, silent = [], bogus = [], isLenient = false } = world;
  const own: Readonly<Record<string, Records>> = { 'ns1.example': records, 'ns2.example': second };
  return {
    serversOf: (name) =>
      Promise.resolve(
        name === world.zone || name.endsWith(`.${world.zone}`)
          ? { zone: world.zone, servers: Object.keys(own), negativeTtl: 600 }
          : { problem: `No name server is known for ${name}.` },
      ),
    askServer: (server, name, type) =>
      Promise.resolve(
        silent.includes(server) ? { status: 'failed', why: 'no answer' } : answerOf(own[server] ?? {}, name, type, isLenient),
      ),
    askResolver: (name, type, isUnchecked = false) =>
      Promise.resolve(
        silent.includes('resolver')
          ? { status: 'failed', why: 'no answer' }
          : bogus.includes(name) && !isUnchecked
            ? { status: 'failed', why: 'server failure' }
            : answerOf(isUnchecked ? unchecked : resolver, name, type, isLenient),
      ),
  };
}
