import { evaluateDmarc, isSpfRecord, readDkimKey, readDmarc } from '../authentication/index.js';
import { explained } from './diagnosis.js';
import { findingOf, type Fault, type Finding, type Place } from './finding.js';
import { asking, receive, type Reception, type See } from './receiver.js';
import type { NameServers, ZoneAnswer, ZoneServers } from './servers.js';
import type { DomainNeeds, WantedRecord } from './wanted.js';

/** How a record is. `unknown`: those who would know did not answer. */
export type RecordState = 'right' | 'wrong' | 'missing' | 'unknown';

/** A wanted record with what the name servers say. */
export interface RecordVerdict {
  readonly wanted: WantedRecord;
  readonly state: RecordState;
  readonly findings: readonly Finding[];
  /** Whether every authoritative server that answers has it, whatever caches say. */
  readonly isPublished: boolean;
  /** How long others may keep it that the record is missing, in seconds. */
  readonly negativeTtl: number;
}

/** Judges a wanted record by what each authoritative server and the resolver say. */
export async function judgeRecord(wanted: WantedRecord, needs: DomainNeeds, servers: NameServers): Promise<RecordVerdict> {
  const zone = await servers.serversOf(wanted.record.name);
  const nowhere: Place = { wanted, zone: needs.domain };
  if ('problem' in zone)
    return { wanted, state: 'unknown', findings: [unreachable(nowhere, zone.problem)], isPublished: false, negativeTtl: 0 };
  const place: Place = { wanted, zone: zone.zone };
  const { negativeTtl } = zone;
  const seen = await Promise.all(zone.servers.map(async (server) => ({ server, ...(await judgeServer(server, wanted, servers)) })));
  const silent = seen.filter(({ isSilent }) => isSilent).map(({ server }) => server);
  const answering = seen.filter(({ isSilent }) => !isSilent);
  if (answering.length === 0) {
    const problem = `${listed(silent)} ${silent.length === 1 ? 'does' : 'do'} not answer.`;
    return { wanted, state: 'unknown', findings: [unreachable(place, problem)], isPublished: false, negativeTtl };
  }
  const advice = silent.length === 0 ? [] : [findingOf({ kind: 'server-silent', found: '', detail: doNot(silent) }, place)];
  const wrong = answering.filter(({ reception }) => reception.status === 'wrong');
  const [first] = wrong;
  if (first?.reception.status === 'wrong') {
    const isEverywhere = wrong.length === answering.length;
    const scene = { wanted, zone: zone.zone, domain: needs.domain, see: first.see };
    const fault: Fault = isEverywhere
      ? await explained(first.reception.fault, scene)
      : { kind: 'not-everywhere', found: first.reception.fault.found, detail: doNot(wrong.map(({ server }) => server)) };
    return {
      wanted,
      state: isEverywhere && fault.kind === 'missing' ? 'missing' : 'wrong',
      findings: [findingOf(fault, place), ...advice],
      isPublished: false,
      negativeTtl,
    };
  }
  const vague = answering.find(({ reception }) => reception.status === 'unknown')?.reception;
  if (vague?.status === 'unknown') {
    const fault: Fault = { kind: 'resolver-silent', found: '', detail: vague.reason.replace(/\.$/, '') };
    return { wanted, state: 'unknown', findings: [findingOf(fault, place), ...advice], isPublished: false, negativeTtl };
  }
  const cached = await judgeResolver(place, zone, servers);
  const findings = [...(cached === undefined ? [] : [cached]), ...advice, ...(await adviceOn(wanted, needs, { servers, place }))];
  return { wanted, state: cached?.severity === 'fix' ? 'wrong' : 'right', findings, isPublished: cached?.severity !== 'fix', negativeTtl };
}

const unreachable = (place: Place, detail: string): Finding => findingOf({ kind: 'unreachable', found: '', detail }, place);

function listed(names: readonly string[]): string {
  return names.length < 2 ? names.join('') : `${names.slice(0, -1).join(', ')} and ${names.at(-1) ?? ''}`;
}

const doNot = (names: readonly string[]): string => `${listed(names)} ${names.length === 1 ? 'does' : 'do'}`;

/** The world as one server and, for what is not its own, the resolver see it. */
function seeing(server: string, { record: { name } }: WantedRecord, servers: NameServers): See {
  const known = new Map<string, Promise<ZoneAnswer>>();
  // What surrounds the name is shown as the server has it, too: that is where the mistake is looked for.
  const parent = name.slice(name.indexOf('.') + 1);
  return (asked, type) => {
    const key = `${type} ${asked}`;
    let answer = known.get(key);
    if (answer === undefined) {
      const isOwn = asked === name || asked.endsWith(`.${parent}`) || asked.startsWith(`${name}.`);
      answer = isOwn ? followed(servers.askServer(server, asked, type), type, servers) : servers.askResolver(asked, type);
      known.set(key, answer);
    }
    return answer;
  };
}

/** An alias points elsewhere, so another server is authoritative. */
async function followed(
  asked: Promise<ZoneAnswer>,
  type: Parameters<NameServers['askResolver']>[1],
  servers: NameServers,
): Promise<ZoneAnswer> {
  const answer = await asked;
  if (type === 'CNAME' || answer.status !== 'none' || answer.alias === undefined) return answer;
  const { alias } = answer;
  const there = await servers.askResolver(alias, type);
  return there.status === 'failed' ? there : { ...there, alias };
}

interface ServerVerdict {
  readonly isSilent: boolean;
  readonly reception: Reception;
  readonly see: See;
}

async function judgeServer(server: string, wanted: WantedRecord, servers: NameServers): Promise<ServerVerdict> {
  const see = seeing(server, wanted, servers);
  const { name, type } = wanted.record;
  const own = await servers.askServer(server, name, type);
  const reception = await receive(wanted, see);
  if (own.status !== 'found' || own.alias !== undefined || type === 'CNAME') return { isSilent: own.status === 'failed', reception, see };
  // A server that answers with records, and with a CNAME when asked for one, breaks RFC 1034 3.6.2: caches give one or the other.
  const beside = await servers.askServer(server, name, 'CNAME');
  const alias = 'alias' in beside ? beside.alias : undefined;
  if (alias === undefined) return { isSilent: false, reception, see };
  return {
    isSilent: false,
    reception: { status: 'wrong', fault: { kind: 'alias-beside-records', found: `CNAME ${alias}`, detail: alias } },
    see,
  };
}

/** What the resolver makes of a record that the authoritative servers have. */
async function judgeResolver(place: Place, { negativeTtl }: ZoneServers, servers: NameServers): Promise<Finding | undefined> {
  const { wanted } = place;
  const { name, type } = wanted.record;
  const reception = await receive(wanted, (asked, of) => servers.askResolver(asked, of));
  if (reception.status === 'right') return undefined;
  const answer = await servers.askResolver(name, type);
  if (answer.status === 'failed') {
    // Only a resolver that checks signatures answers differently when it is asked not to.
    const unchecked = answer.why === 'server failure' ? await servers.askResolver(name, type, true) : answer;
    if (unchecked.status !== 'failed') return findingOf({ kind: 'dnssec', found: '' }, place);
    return findingOf({ kind: 'resolver-silent', found: '', detail: answer.why }, place);
  }
  if (reception.status === 'unknown')
    return findingOf({ kind: 'resolver-silent', found: '', detail: reception.reason.replace(/\.$/, '') }, place);
  const left = answer.status === 'found' ? Math.max(0, ...answer.records.map(({ ttl }) => ttl)) : negativeTtl;
  return findingOf({ kind: 'stale-cache', found: reception.fault.found, detail: `another ${inWords(left)}` }, place);
}

function inWords(seconds: number): string {
  const [count, unit] =
    seconds < 120 ? [seconds, 'second'] : seconds < 7200 ? [Math.round(seconds / 60), 'minute'] : [Math.round(seconds / 3600), 'hour'];
  return `${count} ${unit}${count === 1 ? '' : 's'}`;
}

const STRENGTH = { none: 0, quarantine: 1, reject: 2 } as const;

/** What could be better about a record that is right. */
async function adviceOn(
  wanted: WantedRecord,
  needs: DomainNeeds,
  { servers, place }: { readonly servers: NameServers; readonly place: Place },
): Promise<Finding[]> {
  const { record, purpose } = wanted;
  if (record.type !== 'TXT' || (purpose !== 'dkim' && purpose !== 'dmarc')) return [];
  const answer = await servers.askResolver(record.name, 'TXT');
  const texts = answer.status === 'found' ? answer.records.map(({ value }) => value) : [];
  if (purpose === 'dkim') {
    const key = readDkimKey(texts[0] ?? '');
    return 'fault' in key || !key.isTesting ? [] : [findingOf({ kind: 'testing', found: texts[0] ?? '' }, place)];
  }
  const out: Finding[] = [];
  const found = texts.join('\n');
  const { policy, recordAt } = await evaluateDmarc({
    from: needs.domain,
    dkim: [],
    spf: { result: 'none', domain: needs.domain },
    ask: asking((asked, of) => servers.askResolver(asked, of)),
  });
  if (policy !== undefined && STRENGTH[policy] < STRENGTH[needs.policy])
    out.push(
      findingOf(
        {
          kind: 'other-policy',
          found,
          detail: `p=${policy}${recordAt === undefined ? '' : ` at ${recordAt}`}, and ${needs.policy} is wanted`,
        },
        place,
      ),
    );
  const own = texts.flatMap((text) => readDmarc(text) ?? [])[0];
  const address = needs.reports === undefined ? undefined : `${needs.reports.dmarc}@${needs.returnHost}`;
  if (address !== undefined && own !== undefined && !own.reportsTo.some((uri) => uri.toLowerCase().startsWith(`mailto:${address}`)))
    out.push(findingOf({ kind: 'no-reports', found, detail: address }, place));
  return out;
}

/** Whether a key that nothing needs any more can still be found. */
export async function judgeOldKey(wanted: WantedRecord, servers: NameServers): Promise<Finding | undefined> {
  const answer = await servers.askResolver(wanted.record.name, 'TXT');
  const [text] = answer.status === 'found' ? answer.records : [];
  if (text === undefined || isSpfRecord(text.value) || 'fault' in readDkimKey(text.value)) return undefined;
  const zone = await servers.serversOf(wanted.record.name);
  return findingOf({ kind: 'old-selector', found: text.value }, { wanted, zone: 'zone' in zone ? zone.zone : wanted.record.name });
}
