import ipaddr from 'ipaddr.js';
import { parseXml, UnreadableContent } from '../profile/index.js';

/** One row of a DMARC report: email from one address with one outcome. */
export interface DmarcReportRow {
  /** The address that it came from. */
  readonly source: string;
  readonly count: number;
  /** Whether a valid signature, and SPF, were aligned with the author's domain. */
  readonly dkim: boolean;
  readonly spf: boolean;
  readonly disposition: 'none' | 'quarantine' | 'reject';
  readonly from: string;
  /** Domains of the signatures, of the envelope: what was valid, for any domain. */
  readonly signers: readonly string[];
  readonly envelopeFrom: string | undefined;
}

/** What a receiver counted in some time (RFC 7489 7.2 and its successor). */
export interface DmarcReport {
  /** As it calls itself: anybody can write it. */
  readonly reporter: string;
  readonly id: string;
  /** Milliseconds since the epoch. */
  readonly begin: number;
  readonly end: number;
  /** The domain whose policy it is about. */
  readonly domain: string;
  readonly rows: readonly DmarcReportRow[];
}

/** A report has no more rows than this that count. */
const MOST_ROWS = 50_000;
const MOST_COUNT = 1e12;
const MOST_TEXT = 255;
/** The first year of DMARC, and what no clock should be past, in seconds. */
const [FIRST, LAST] = [1_325_376_000, 4_102_444_800];

type Node = Readonly<Record<string, unknown>>;

const nodeOf = (value: unknown): Node => (typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Node) : {});
const listOf = (value: unknown): readonly unknown[] => (value === undefined || value === '' ? [] : Array.isArray(value) ? value : [value]);
/** The text of an element, also of one with attributes. */
function textOf(value: unknown): string {
  const [first] = listOf(value);
  const text = typeof first === 'object' && first !== null ? (first as Node)['#text'] : first;
  return typeof text === 'string' || typeof text === 'number' ? String(text).trim().slice(0, MOST_TEXT) : '';
}

const domainOf = (value: unknown): string => textOf(value).toLowerCase().replace(/\.$/, '');

/** Elements by their names without prefixes: some reporters write them, most do not. */
function plainNames(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(plainNames);
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(Object.entries(value).map(([name, inner]) => [name.slice(name.indexOf(':') + 1), plainNames(inner)]));
}

/** Reads a DMARC report. @throws UnreadableContent in a sentence */
export function readDmarcReport(text: string): DmarcReport {
  const root = nodeOf(plainNames(parseXml(text)));
  if (root['feedback'] === undefined) throw new UnreadableContent('It is XML, but not a DMARC report: it has no feedback element.');
  if (Array.isArray(root['feedback'])) throw new UnreadableContent('It holds more than one report.');
  const feedback = nodeOf(root['feedback']);
  const metadata = nodeOf(feedback['report_metadata']);
  const range = nodeOf(metadata['date_range']);
  const domain = domainOf(nodeOf(feedback['policy_published'])['domain']);
  const [begin, end] = [secondsOf(range['begin']), secondsOf(range['end'])];
  const id = textOf(metadata['report_id']);
  if (domain === '') throw new UnreadableContent('It names no domain (policy_published).');
  if (begin === undefined || end === undefined || end < begin)
    throw new UnreadableContent('It names no time that it is about (date_range).');
  if (id === '') throw new UnreadableContent('It has no report_id.');
  const records = listOf(feedback['record']);
  if (records.length > MOST_ROWS) throw new UnreadableContent(`It has ${records.length} rows; ${MOST_ROWS} are read at most.`);
  const rows = records.flatMap((record) => rowOf(nodeOf(record), domain) ?? []);
  if (rows.length === 0 && records.length > 0) throw new UnreadableContent('None of its rows can be read.');
  return {
    reporter: textOf(metadata['org_name']) || textOf(metadata['email']) || 'unknown',
    id,
    begin: begin * 1000,
    end: end * 1000,
    domain,
    rows,
  };
}

function secondsOf(value: unknown): number | undefined {
  const text = textOf(value);
  const seconds = /^\d{9,10}(?:\.\d+)?$/.test(text) ? Math.floor(Number(text)) : Date.parse(text) / 1000;
  return Number.isFinite(seconds) && seconds >= FIRST && seconds <= LAST ? Math.floor(seconds) : undefined;
}

/** @returns undefined for a row without an address or a number */
function rowOf(record: Node, domain: string): DmarcReportRow | undefined {
  const row = nodeOf(record['row']);
  const evaluated = nodeOf(row['policy_evaluated']);
  const identifiers = nodeOf(record['identifiers']);
  const results = nodeOf(record['auth_results']);
  const source = textOf(row['source_ip']);
  const count = Number(textOf(row['count']) || '0');
  if (!ipaddr.isValid(source) || !Number.isInteger(count) || count < 1 || count > MOST_COUNT) return undefined;
  const disposition = textOf(evaluated['disposition']).toLowerCase();
  const passed = listOf(results['dkim'])
    .map(nodeOf)
    .filter((result) => textOf(result['result']).toLowerCase() === 'pass');
  const envelopeFrom = domainOf(identifiers['envelope_from']) || domainOf(nodeOf(listOf(results['spf'])[0])['domain']);
  return {
    source: ipaddr.process(source).toString(),
    count,
    dkim: textOf(evaluated['dkim']).toLowerCase() === 'pass',
    spf: textOf(evaluated['spf']).toLowerCase() === 'pass',
    disposition: disposition === 'quarantine' || disposition === 'reject' ? disposition : 'none',
    from: domainOf(identifiers['header_from']) || domain,
    signers: [...new Set(passed.map((result) => domainOf(result['domain'])))].filter((signer) => signer !== '').slice(0, 10),
    envelopeFrom: envelopeFrom === '' ? undefined : envelopeFrom,
  };
}
