import type { DkimVerdict } from './dkim.js';
import { isDomainName, type DnsAnswer, type DnsAsk } from './dns.js';
import type { SpfResult } from './spf.js';
import { bare, readTags } from './tags.js';

export type DmarcPolicy = 'none' | 'quarantine' | 'reject';

/** What a DMARC record says (RFC 7489 6.3 and its successor, which adds np, psd and t). */
export interface DmarcRecord {
  readonly policy: DmarcPolicy;
  /** For subdomains, and for those of them that do not exist. */
  readonly subdomains: DmarcPolicy;
  readonly missing: DmarcPolicy;
  readonly dkim: 'relaxed' | 'strict';
  readonly spf: 'relaxed' | 'strict';
  /** Whether the domain is one under which others register theirs. */
  readonly isPublic: boolean | undefined;
  /** The domain only tries its policy. */
  readonly isTesting: boolean;
  /** Where reports of totals go. */
  readonly reportsTo: readonly string[];
}

/** What DMARC says of an email. */
export interface DmarcVerdict {
  readonly result: 'pass' | 'fail' | 'none' | 'temperror' | 'permerror';
  /** Why, in a sentence. */
  readonly reason: string;
  /** What the domain asks receivers to do with an email that fails. */
  readonly policy: DmarcPolicy | undefined;
  /** The domain whose record counts. */
  readonly recordAt: string | undefined;
  /** Domains of signatures that are valid and aligned, and of SPF. */
  readonly aligned: { readonly dkim: readonly string[]; readonly spf: string | undefined };
}

export interface DmarcInput {
  /** The domain of the From field. */
  readonly from: string;
  readonly dkim: readonly Pick<DkimVerdict, 'result' | 'domain'>[];
  /** `domain`: of MAIL FROM, or of HELO where that is empty. */
  readonly spf: { readonly result: SpfResult; readonly domain: string };
  readonly ask: DnsAsk;
}

/** Names that have more labels than this are looked at from here on (DNS tree walk). */
const MOST_LABELS = 8;

/** Whether a TXT record is one of DMARC: its version comes first and is written so. */
export function isDmarcRecord(text: string): boolean {
  return /^v[ \t]*=[ \t]*DMARC1[ \t]*(?:;|$)/.test(text);
}

/** Reads a record. Without a policy, one that can be reported to asks for nothing. @returns undefined for one without a meaning */
export function readDmarc(text: string): DmarcRecord | undefined {
  if (!isDmarcRecord(text)) return undefined;
  const tags = readTags(text) ?? new Map<string, string>();
  const reportsTo = (tags.get('rua') ?? '').split(',').flatMap((uri) => (/^mailto:[^\s@]+@[^\s@]+$/i.test(uri.trim()) ? [uri.trim()] : []));
  const policyOf = (name: string): DmarcPolicy | undefined => {
    const value = tags.get(name)?.toLowerCase();
    return value === 'none' || value === 'quarantine' || value === 'reject' ? value : undefined;
  };
  const own = policyOf('p') ?? (reportsTo.length > 0 ? 'none' : undefined);
  const psd = tags.get('psd')?.toLowerCase();
  if (own === undefined) return undefined;
  const subdomains = policyOf('sp') ?? own;
  return {
    policy: own,
    subdomains,
    missing: policyOf('np') ?? subdomains,
    dkim: bare(tags.get('adkim') ?? '') === 's' ? 'strict' : 'relaxed',
    spf: bare(tags.get('aspf') ?? '') === 's' ? 'strict' : 'relaxed',
    isPublic: psd === 'y' ? true : psd === 'n' ? false : undefined,
    isTesting: tags.get('t')?.toLowerCase() === 'y',
    reportsTo,
  };
}

/** A domain on the way up, with its record. */
interface Step {
  readonly domain: string;
  readonly record: DmarcRecord;
}

/** Whether name servers could not tell. */
class Unanswered extends Error {}

/** Asks for each record once, however often it is wanted. */
class Walker {
  readonly #answers = new Map<string, Promise<DnsAnswer>>();
  constructor(private readonly ask: DnsAsk) {}

  async recordAt(domain: string): Promise<DmarcRecord | undefined> {
    let asked = this.#answers.get(domain);
    if (asked === undefined) this.#answers.set(domain, (asked = this.ask(`_dmarc.${domain}`, 'TXT')));
    const answer = await asked;
    if (answer.status === 'failed') throw new Unanswered(`The name servers of _dmarc.${domain} did not answer.`);
    const records = answer.status === 'found' ? answer.records.filter(isDmarcRecord) : [];
    // Of several, none counts.
    return records.length === 1 ? readDmarc(records[0] ?? '') : undefined;
  }

  /** The records on the way from a domain up, the longest name first; eight questions at most. */
  async walk(domain: string): Promise<Step[]> {
    const labels = domain.split('.');
    const found: Step[] = [];
    let left = labels.length;
    for (let first = true; left > 0; first = false) {
      const name = labels.slice(-left).join('.');
      const record = await this.recordAt(name);
      if (record !== undefined) found.push({ domain: name, record });
      if (record?.isPublic === false || (record?.isPublic === true && !first)) break;
      left = left > MOST_LABELS ? MOST_LABELS - 1 : left - 1;
    }
    return found;
  }

  /** The domain that answers for all under it: where it is, by the records on the way up (DNS tree walk). */
  async organizational(domain: string): Promise<string> {
    const steps = await this.walk(domain);
    const own = steps.find(({ record }) => record.isPublic === false);
    if (own !== undefined) return own.domain;
    const top = steps.find(({ domain: name, record }) => record.isPublic === true && name !== domain);
    if (top !== undefined)
      return domain
        .split('.')
        .slice(-(top.domain.split('.').length + 1))
        .join('.');
    return steps.at(-1)?.domain ?? domain;
  }
}

/** The domain that answers for all under it (DNS tree walk). @returns undefined where name servers did not answer */
export async function organizationalDomain(domain: string, ask: DnsAsk): Promise<string | undefined> {
  try {
    return await new Walker(ask).organizational(plain(domain));
  } catch (error) {
    if (error instanceof Unanswered) return undefined;
    throw error;
  }
}

/**
 * What a domain asks receivers to do with email in its name that is not authentic (RFC 7489 6.6.3).
 * @returns `none` also where it has no record; undefined where name servers did not answer
 */
export async function publishedPolicy(domain: string, ask: DnsAsk): Promise<DmarcPolicy | undefined> {
  const verdict = await evaluateDmarc({ from: domain, dkim: [], spf: { result: 'none', domain }, ask });
  return verdict.result === 'temperror' ? undefined : (verdict.policy ?? 'none');
}

const plain = (domain: string): string => domain.toLowerCase().replace(/\.$/, '');

/** Whether an email is what its From field says, by what SPF and DKIM found. All that is asked of the world goes through `ask`. */
export async function evaluateDmarc(input: DmarcInput): Promise<DmarcVerdict> {
  const from = plain(input.from);
  const nothing = { policy: undefined, recordAt: undefined, aligned: { dkim: [], spf: undefined } };
  if (!isDomainName(from)) return { ...nothing, result: 'permerror', reason: `"${from.slice(0, 60)}" in From is not a domain.` };
  const walker = new Walker(input.ask);
  try {
    return await judge(walker, from, input);
  } catch (error) {
    if (error instanceof Unanswered) return { ...nothing, result: 'temperror', reason: error.message };
    throw error;
  }
}

async function judge(walker: Walker, from: string, { dkim, spf, ask }: DmarcInput): Promise<DmarcVerdict> {
  const own = await walker.recordAt(from);
  const top = await walker.organizational(from);
  const above =
    own === undefined
      ? ((await walker.recordAt(top)) ?? (await walker.walk(from)).find(({ record }) => record.isPublic === true)?.record)
      : own;
  if (above === undefined)
    return {
      result: 'none',
      reason: `Neither ${from}${top === from ? '' : ` nor ${top}`} has a DMARC record.`,
      policy: undefined,
      recordAt: undefined,
      aligned: { dkim: [], spf: undefined },
    };
  const isAligned = async (domain: string, mode: 'relaxed' | 'strict'): Promise<boolean> =>
    plain(domain) === from || (mode === 'relaxed' && (await walker.organizational(plain(domain))) === top);
  const signed: string[] = [];
  for (const { result, domain } of dkim)
    if (result === 'pass' && domain !== undefined && (await isAligned(domain, above.dkim))) signed.push(plain(domain));
  const isSent = spf.result === 'pass' && (await isAligned(spf.domain, above.spf));
  const recordAt = own === undefined ? top : from;
  const aligned = { dkim: signed, spf: isSent ? plain(spf.domain) : undefined };
  const policy = own === undefined ? ((await isMissing(from, ask)) ? above.missing : above.subdomains) : own.policy;
  if (signed.length > 0 || isSent) {
    const by = [...[...new Set(signed)].map((domain) => `the signature of ${domain}`), ...(isSent ? [`SPF of ${plain(spf.domain)}`] : [])];
    return {
      result: 'pass',
      reason: `${by.join(' and ')} ${by.length > 1 ? 'are' : 'is'} aligned with ${from}.`,
      policy,
      recordAt,
      aligned,
    };
  }
  const valid = dkim.flatMap(({ result, domain }) => (result === 'pass' && domain !== undefined ? [`the signature of ${domain}`] : []));
  if (spf.result === 'pass') valid.push(`SPF of ${plain(spf.domain)}`);
  const reason =
    valid.length === 0
      ? `No signature of ${from} is valid, and SPF does not pass.`
      : `${valid.join(' and ')} ${valid.length > 1 ? 'hold' : 'holds'}, and not for ${from}.`;
  return { result: 'fail', reason, policy, recordAt, aligned };
}

/** Whether a name does not exist at all. */
async function isMissing(name: string, ask: DnsAsk): Promise<boolean> {
  for (const type of ['A', 'AAAA', 'MX'] as const) {
    const answer = await ask(name, type);
    if (answer.status !== 'none') return false;
    if (answer.isNameMissing === true) return true;
  }
  return true;
}
