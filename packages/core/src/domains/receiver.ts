import ipaddr from 'ipaddr.js';
import {
  evaluateDmarc,
  evaluateSpf,
  isDmarcRecord,
  isSpfRecord,
  readDkimKey,
  readDmarc,
  readSpf,
  type DnsAsk,
  type SpfVerdict,
} from '../authentication/index.js';
import type { Fault } from './finding.js';
import type { AnswerRecord, ZoneAnswer, ZoneType } from './servers.js';
import type { WantedRecord } from './wanted.js';

/** What a receiver makes of a record. */
export type Reception =
  | { readonly status: 'right' }
  /** Name servers beside those of the record did not answer. */
  | { readonly status: 'unknown'; readonly reason: string }
  | { readonly status: 'wrong'; readonly fault: Fault };

/** The world as seen from one server: its own answers for one name, a resolver's for all others. */
export type See = (name: string, type: ZoneType) => Promise<ZoneAnswer>;

const RIGHT: Reception = { status: 'right' };
const wrong = (fault: Fault): Reception => ({ status: 'wrong', fault });
const values = (answer: ZoneAnswer): string[] => (answer.status === 'found' ? answer.records.map(({ value }) => value) : []);
const shortened = (text: string, most = 60): string => (text.length > most ? `${text.slice(0, most - 1)}…` : text);

/** What a receiver makes of a wanted record where it asks this server. */
export async function receive(wanted: WantedRecord, see: See): Promise<Reception> {
  const { record, purpose } = wanted;
  const answer = await see(record.name, record.type);
  if (answer.status === 'failed') return { status: 'unknown', reason: `${record.name}: ${answer.why}.` };
  if (record.type === 'CNAME') return receiveAlias(record.host, answer);
  if (record.type === 'MX') return receiveExchange(wanted, record.host, answer, see);
  if (purpose === 'spf') return receiveSpf(wanted, values(answer), see);
  if (purpose === 'dmarc') return receiveDmarc(wanted, values(answer), see);
  if (answer.status === 'none') return wrong(nothing(answer));
  if (purpose === 'dkim') return receiveKey(record.text, values(answer));
  if (values(answer).some((text) => sameText(text, record.text))) return RIGHT;
  if (purpose === 'tls-reports') return receiveTlsReports(values(answer));
  return wrong({ kind: 'other-value', found: shownValues(answer.records) });
}

/** The fault of an empty answer. */
function nothing(answer: ZoneAnswer): Fault {
  const { alias } = answer as { readonly alias?: string };
  return alias === undefined ? { kind: 'missing', found: '' } : { kind: 'alias-to-nothing', found: `CNAME ${alias}`, detail: alias };
}

function shownValues(records: readonly AnswerRecord[]): string {
  return records.map(({ value, priority }) => (priority === undefined ? value : `${priority} ${value}`)).join('\n');
}

const sameText = (a: string, b: string): boolean => a.replace(/\s+/g, ' ').trim() === b.replace(/\s+/g, ' ').trim();

function receiveAlias(host: string, answer: ZoneAnswer): Reception {
  const { alias } = answer as { readonly alias?: string };
  if (alias === host) return RIGHT;
  if (alias !== undefined) return wrong({ kind: 'other-value', found: `CNAME ${alias}`, detail: alias });
  return wrong({ kind: 'missing', found: '' });
}

/** RFC 6376 3.6.2.2: more than one record may not be; what is not a key is no key. */
function receiveKey(text: string, texts: readonly string[]): Reception {
  const [first = '', more] = texts;
  if (more !== undefined) return wrong({ kind: 'several-records', found: texts.join('\n'), detail: `${texts.length} TXT records` });
  const key = readDkimKey(first);
  const own = readDkimKey(text);
  if ('fault' in own) throw new Error(`Our own key ${own.fault}.`);
  if ('fault' in key) {
    if (key.fault.includes('revoked')) return wrong({ kind: 'revoked-key', found: first });
    return wrong({ kind: 'invalid-value', found: first, detail: `it ${key.fault}.` });
  }
  if (!key.key.equals(own.key)) return wrong({ kind: 'other-key', found: first });
  if (key.hashes !== undefined && !key.hashes.includes('sha256'))
    return wrong({ kind: 'invalid-value', found: first, detail: 'it is not for SHA-256 (h=).' });
  return RIGHT;
}

async function receiveExchange(wanted: WantedRecord, host: string, answer: ZoneAnswer, see: See): Promise<Reception> {
  if (answer.status !== 'found') return receiveWithoutExchange(wanted, host, answer, see);
  const first = Math.min(...answer.records.map(({ priority = 0 }) => priority));
  const found = shownValues(answer.records);
  // Any of those with the lowest number may be tried first (RFC 5321 5.1).
  for (const { value } of answer.records.filter(({ priority = 0 }) => priority === first)) {
    if (ipaddr.isValid(value)) return wrong({ kind: 'mx-to-address', found, detail: value });
    if (value !== host) {
      const { alias } = await see(value, 'CNAME').then((of) => ('alias' in of ? of : { alias: undefined }));
      return wrong({ kind: alias === host ? 'mx-to-alias' : 'mx-elsewhere', found, detail: value === '' ? 'nobody (a null MX)' : value });
    }
  }
  const aliased = await see(host, 'CNAME');
  if ('alias' in aliased && aliased.alias !== undefined) return wrong({ kind: 'mx-to-alias', found, detail: host });
  const [four, six] = [await see(host, 'A'), await see(host, 'AAAA')];
  if (four.status === 'found' || six.status === 'found') return RIGHT;
  if (four.status === 'failed' || six.status === 'failed')
    return { status: 'unknown', reason: `The addresses of ${host} could not be asked for.` };
  return wrong({ kind: 'mx-to-nothing', found, detail: host });
}

/** Without an MX record the host's own address counts (RFC 5321 5.1). */
async function receiveWithoutExchange({ record }: WantedRecord, host: string, answer: ZoneAnswer, see: See): Promise<Reception> {
  for (const type of ['A', 'AAAA'] as const) {
    const [own, ours] = [values(await see(record.name, type)), values(await see(host, type))];
    if (own.length > 0 && own.every((address) => ours.includes(address))) return RIGHT;
  }
  return wrong(nothing(answer));
}

/** See as the evaluators want it. */
export function asking(see: See): DnsAsk {
  return async (name, type) => {
    // An address has no name of its own here: "ptr" finds nothing.
    if (type === 'PTR') return { status: 'none' };
    const answer = await see(name.toLowerCase(), type);
    if (answer.status === 'found') {
      const sorted = [...answer.records].sort((a, b) => (a.priority ?? 0) - (b.priority ?? 0));
      return { status: 'found', records: sorted.map(({ value }) => value) };
    }
    return answer.status === 'none' ? { status: 'none', isNameMissing: answer.isNameMissing } : { status: 'failed' };
  };
}

/** Nobody sends from here (RFC 2544, RFC 5180): every term of a record is looked at. */
const PROBE_V4 = '198.18.255.254';

async function receiveSpf({ record: { name }, terms }: WantedRecord, texts: readonly string[], see: See): Promise<Reception> {
  const records = texts.filter(isSpfRecord);
  const [text, more] = records;
  if (text === undefined) {
    if (texts.length > 0) return wrong({ kind: 'missing', found: texts.join('\n') });
    return wrong(nothing(await see(name, 'TXT')));
  }
  if (more !== undefined)
    return wrong({
      kind: 'several-records',
      found: records.join('\n'),
      detail: `${records.length} SPF records`,
      enter: joinedSpf(records, terms),
    });
  const ask = asking(see);
  const evaluate = (ip: string): Promise<SpfVerdict> => evaluateSpf({ ip, sender: `postmaster@${name}`, helo: name, ask });
  const general = objection(await evaluate(PROBE_V4), text);
  if (general !== undefined) return general;
  const missing: string[] = [];
  for (const term of terms) {
    const addresses = addressesOf(term);
    if (addresses === undefined) {
      if (!(await mentions(name, term, { ask, seen: new Set() }))) missing.push(term);
      continue;
    }
    for (const ip of addresses) {
      const verdict = await evaluate(ip);
      const problem = objection(verdict, text);
      if (problem !== undefined) return problem;
      if (verdict.result !== 'pass' && !missing.includes(term)) missing.push(term);
    }
  }
  if (missing.length === 0) return RIGHT;
  return wrong({ kind: 'missing-terms', found: text, detail: missing.join(' and '), enter: mergedSpf(text, missing) });
}

/** Why no result counts. */
function objection({ result, reason, lookups, voids }: SpfVerdict, text: string): Reception | undefined {
  if (result === 'temperror') return { status: 'unknown', reason };
  if (result !== 'permerror') return undefined;
  if (lookups > 10) return wrong({ kind: 'too-many-lookups', found: text, detail: reason.replace(/\.$/, '') });
  if (voids > 2) return wrong({ kind: 'too-many-empty-lookups', found: text, detail: reason.replace(/\.$/, '') });
  return wrong({ kind: 'invalid-value', found: text, detail: reason });
}

/** The first and the last address of a network that a term names. @returns undefined for another mechanism */
function addressesOf(term: string): string[] | undefined {
  const [, text] = /^\+?ip[46]:(.+)$/i.exec(term) ?? [];
  if (text === undefined) return undefined;
  const network = text.split('/')[0] ?? '';
  if (!ipaddr.isValid(network)) return undefined;
  const address = ipaddr.parse(network);
  const bits = Number(text.split('/')[1] ?? (address.kind() === 'ipv4' ? 32 : 128));
  const ends = (fill: number): string =>
    ipaddr
      .fromByteArray(
        address.toByteArray().map((byte, i) => {
          const kept = Math.max(0, Math.min(8, bits - i * 8));
          const mask = 256 - 2 ** (8 - kept);
          return (byte & mask) | (fill & ~mask & 255);
        }),
      )
      .toString();
  return [...new Set([ends(0), ends(255)])];
}

const plainTerm = (term: string): string => term.replace(/^\+/, '').toLowerCase();

/** Whether a record allows what a term allows, directly or by a record that it includes. */
async function mentions(name: string, term: string, { ask, seen }: { readonly ask: DnsAsk; readonly seen: Set<string> }): Promise<boolean> {
  if (seen.has(name) || seen.size > 20) return false;
  seen.add(name);
  const answer = await ask(name, 'TXT');
  const [text = ''] = answer.status === 'found' ? answer.records.filter(isSpfRecord) : [];
  if ('fault' in readSpf(text)) return false;
  const terms = text.toLowerCase().split(/ +/).slice(1);
  for (const written of terms) {
    if (plainTerm(written) === plainTerm(term)) return true;
    if (/^[-+~?]?all$/.test(written)) return false;
    const [, within] = /^\+?include:([^%]+)$/.exec(written) ?? [];
    if (within !== undefined && (await mentions(within, term, { ask, seen }))) return true;
  }
  const target = terms.map((written) => /^redirect=([^%]+)$/.exec(written)?.[1]).find((found) => found !== undefined);
  return target !== undefined && (plainTerm(term) === `include:${target}` || (await mentions(target, term, { ask, seen })));
}

/** A record that allows more, and keeps what it says: new terms go before what ends it. */
function mergedSpf(text: string, terms: readonly string[]): string {
  const written = text.split(/ +/).filter((term) => term !== '');
  const end = written.findIndex((term) => /^(?:[-+~?]?all|redirect=.*)$/i.test(term));
  const at = end === -1 ? written.length : end;
  return [...written.slice(0, at), ...terms, ...written.slice(at)].join(' ');
}

/** One record of several: the terms of all, once each, and the end of the first. */
function joinedSpf(records: readonly string[], wanted: readonly string[]): string {
  const [first = 'v=spf1 ~all', ...others] = records;
  const isTerm = (term: string): boolean => term !== '' && !/^(?:v=spf1|[-+~?]?all|(?:redirect|exp)=.*)$/i.test(term);
  const known = new Set(first.split(' ').map(plainTerm));
  const more = [...new Set([...others.flatMap((record) => record.split(' ')), ...wanted].filter(isTerm))];
  return mergedSpf(
    first,
    more.filter((term) => !known.has(plainTerm(term))),
  );
}

async function receiveDmarc({ record: { name } }: WantedRecord, texts: readonly string[], see: See): Promise<Reception> {
  const from = name.slice('_dmarc.'.length);
  const { result, reason } = await evaluateDmarc({
    from,
    dkim: [{ result: 'pass', domain: from }],
    spf: { result: 'none', domain: from },
    ask: asking(see),
  });
  if (result === 'temperror') return { status: 'unknown', reason };
  if (result === 'pass') return RIGHT;
  const records = texts.filter(isDmarcRecord);
  if (records.length > 1) return wrong({ kind: 'several-records', found: records.join('\n'), detail: `${records.length} DMARC records` });
  const [text] = records;
  if (text !== undefined && readDmarc(text) === undefined)
    return wrong({ kind: 'invalid-value', found: text, detail: 'it has no policy (p=) that they know.' });
  if (texts.length > 0) return wrong({ kind: 'other-value', found: texts.join('\n'), detail: shortened(texts[0] ?? '') });
  return wrong(nothing(await see(name, 'TXT')));
}

/** Reports may go elsewhere: any record that is well formed will do (RFC 8460 3). */
function receiveTlsReports(texts: readonly string[]): Reception {
  const records = texts.filter((text) => /^v=TLSRPTv1[ \t]*;/.test(text));
  if (records.length === 1 && /;\s*rua\s*=\s*(?:mailto|https):/.test(records[0] ?? '')) return RIGHT;
  if (records.length > 1) return wrong({ kind: 'several-records', found: texts.join('\n'), detail: `${records.length} TLS-RPT records` });
  return wrong({ kind: 'other-value', found: texts.join('\n') });
}
