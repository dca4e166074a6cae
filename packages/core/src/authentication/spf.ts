import { isWithin, readAddress, reverseName, type IpAddress } from './addresses.js';
import { isDomainName, type DnsAnswer, type DnsAsk, type DnsType } from './dns.js';
import { expand, fitted, readMacros, type MacroString, type MacroValues } from './spf-macros.js';
import { isSpfRecord, readSpf, shortened, type Mechanism, type Qualifier } from './spf-record.js';

/** What SPF says of an email (RFC 7208 2.6). */
export type SpfResult = Qualifier | 'none' | 'temperror' | 'permerror';

export interface SpfVerdict {
  readonly result: SpfResult;
  /** Why, in a sentence. */
  readonly reason: string;
  /** The mechanism that decided, as it is written, and the domain whose record has it. */
  readonly decidedBy: { readonly mechanism: string; readonly domain: string } | undefined;
  /** What the domain says about a failure (RFC 7208 6.2): words of others. */
  readonly explanation: string | undefined;
  /** Terms that asked name servers, of 10 that may (RFC 7208 4.6.4). */
  readonly lookups: number;
  /** Of these, how many found nothing, of 2 that may. */
  readonly voids: number;
}

export interface SpfInput {
  /** The address that connected. */
  readonly ip: string;
  /** MAIL FROM without brackets; empty for a notification, whose HELO name counts then. */
  readonly sender: string;
  readonly helo: string;
  readonly ask: DnsAsk;
  /** The name of the host that checks, for explanations. */
  readonly receiver?: string;
  /** Seconds since the epoch, for explanations. */
  readonly seconds?: number;
}

/** Terms that ask, lookups that find nothing, and names of one MX or PTR that are looked at (RFC 7208 4.6.4). */
const [MOST_LOOKUPS, MOST_VOIDS, MOST_NAMES] = [10, 2, 10];

/** So much is heard of an explanation, in characters: macros can make it long. */
const MOST_EXPLAINED = 1000;

/** Ends an evaluation wherever it is. */
class Ended extends Error {
  constructor(
    readonly result: 'temperror' | 'permerror',
    reason: string,
  ) {
    super(reason);
  }
}

type Outcome = Pick<SpfVerdict, 'result' | 'reason' | 'decidedBy'> & {
  readonly explain?: MacroString | undefined;
  readonly domain: string;
};

/** Whether a host may send for a domain (RFC 7208, check_host). All that is asked of the world goes through `ask`. */
export async function evaluateSpf(input: SpfInput): Promise<SpfVerdict> {
  const { sender, helo } = input;
  const from = sender === '' ? `postmaster@${helo}` : sender.startsWith('@') ? `postmaster${sender}` : sender;
  const full = from.includes('@') ? from : `postmaster@${from}`;
  const ip = readAddress(input.ip);
  if (ip === undefined) throw new Error(`"${input.ip}" is not an IP address.`);
  const domain = full.slice(full.lastIndexOf('@') + 1).replace(/\.$/, '');
  const evaluation = new Evaluation(input, ip, full);
  let outcome: Outcome;
  try {
    outcome = await evaluation.host(domain);
  } catch (error) {
    if (!(error instanceof Ended)) throw error;
    outcome = { result: error.result, reason: error.message, decidedBy: undefined, domain };
  }
  const { result, reason, decidedBy } = outcome;
  const explanation = result === 'fail' ? await evaluation.explanation(outcome) : undefined;
  return { result, reason, decidedBy, explanation, lookups: evaluation.lookups, voids: evaluation.voids };
}

/** Names of an address that lead back to it. */
interface ValidatedNames {
  readonly names: readonly string[];
  /** The address has no name at all. */
  readonly isNone: boolean;
}

class Evaluation {
  lookups = 0;
  voids = 0;
  #names: Promise<ValidatedNames> | undefined;

  constructor(
    private readonly input: SpfInput,
    private readonly ip: IpAddress,
    private readonly sender: string,
  ) {}

  /** The result for one domain, with those that its record includes or points to. */
  async host(domain: string): Promise<Outcome> {
    const plain = { decidedBy: undefined, domain };
    if (!isDomainName(domain) || !domain.includes('.'))
      return { ...plain, result: 'none', reason: `"${shortened(domain)}" is not a domain name.` };
    const answer = await this.input.ask(domain, 'TXT');
    if (answer.status === 'failed') throw new Ended('temperror', `The name servers of ${domain} did not answer.`);
    const records = answer.status === 'found' ? answer.records.filter(isSpfRecord) : [];
    const [text] = records;
    if (text === undefined) return { ...plain, result: 'none', reason: `${domain} has no SPF record.` };
    if (records.length > 1) throw new Ended('permerror', `${domain} has ${records.length} SPF records, where there may be one.`);
    const record = readSpf(text);
    if ('fault' in record) throw new Ended('permerror', `In the SPF record of ${domain}, ${record.fault}.`);
    for (const mechanism of record.mechanisms) {
      if (!(await this.#matches(mechanism, domain))) continue;
      const { qualifier: result, text: written } = mechanism;
      return {
        domain,
        result,
        reason: `"${written}" of ${domain} matches.`,
        decidedBy: { mechanism: written, domain },
        explain: record.explanation,
      };
    }
    if (record.redirect === undefined) return { ...plain, result: 'neutral', reason: `Nothing in the SPF record of ${domain} matches.` };
    this.#count(`redirect of ${domain}`);
    const target = await this.#name(record.redirect, domain);
    const there = await this.host(target);
    if (there.result === 'none') throw new Ended('permerror', `${domain} redirects to ${target}, which has no SPF record.`);
    return there;
  }

  async #matches(mechanism: Mechanism, domain: string): Promise<boolean> {
    switch (mechanism.kind) {
      case 'all':
        return true;
      case 'ip':
        return isWithin(mechanism.address, this.ip, mechanism.bits);
      case 'include': {
        this.#count(mechanism.text);
        const target = await this.#name(mechanism.domain, domain);
        const { result } = await this.host(target);
        if (result === 'none') throw new Ended('permerror', `${domain} includes ${target}, which has no SPF record.`);
        return result === 'pass';
      }
      case 'exists': {
        this.#count(mechanism.text);
        const answer = await this.#ask(await this.#name(mechanism.domain, domain), 'A');
        return answer.status === 'found';
      }
      case 'a':
        this.#count(mechanism.text);
        return this.#isHost(await this.#name(mechanism.domain, domain), mechanism);
      case 'mx': {
        this.#count(mechanism.text);
        const name = await this.#name(mechanism.domain, domain);
        const answer = await this.#ask(name, 'MX');
        if (answer.status !== 'found') return false;
        if (answer.records.length > MOST_NAMES)
          throw new Ended('permerror', `${name} has ${answer.records.length} MX records; SPF looks at ${MOST_NAMES} at most.`);
        for (const exchange of answer.records) if (await this.#isHost(exchange, mechanism)) return true;
        return false;
      }
      case 'ptr': {
        this.#count(mechanism.text);
        const target = (await this.#name(mechanism.domain, domain)).toLowerCase();
        const { names, isNone } = await this.#validated();
        if (isNone) this.#void(reverseName(this.ip));
        return names.some((name) => isAtOrBelow(name, target));
      }
    }
  }

  /** Whether the client has one of the addresses of a host. */
  async #isHost(name: string, { bits4, bits6 }: { readonly bits4: number; readonly bits6: number }): Promise<boolean> {
    const answer = await this.#ask(name, this.ip.version === 4 ? 'A' : 'AAAA');
    if (answer.status !== 'found') return false;
    return answer.records.some((text) => {
      const address = readAddress(text);
      return address !== undefined && isWithin(address, this.ip, this.ip.version === 4 ? bits4 : bits6);
    });
  }

  /** Asks for what a mechanism needs. A name that cannot be one has nothing. */
  async #ask(name: string, type: DnsType): Promise<DnsAnswer> {
    const answer: DnsAnswer = isDomainName(name) ? await this.input.ask(name, type) : { status: 'none', isNameMissing: true };
    if (answer.status === 'failed') throw new Ended('temperror', `The name servers of ${name} did not answer.`);
    if (answer.status === 'none') this.#void(name);
    return answer;
  }

  /** One lookup more found nothing: the name or its records do not exist. */
  #void(name: string): void {
    this.voids += 1;
    if (this.voids > MOST_VOIDS) throw new Ended('permerror', `More than ${MOST_VOIDS} lookups found nothing, ${name} the last of them.`);
  }

  #count(term: string): void {
    this.lookups += 1;
    if (this.lookups > MOST_LOOKUPS)
      throw new Ended('permerror', `SPF may ask name servers for ${MOST_LOOKUPS} terms; "${term}" is one more.`);
  }

  /** Names of the client's address that lead back to it (RFC 7208 5.5). What fails on the way is passed over. */
  #validated(): Promise<ValidatedNames> {
    return (this.#names ??= (async () => {
      const answer = await this.input.ask(reverseName(this.ip), 'PTR');
      if (answer.status !== 'found') return { names: [], isNone: answer.status === 'none' };
      const valid: string[] = [];
      for (const name of answer.records.slice(0, MOST_NAMES)) {
        if (!isDomainName(name)) continue;
        const back = await this.input.ask(name, this.ip.version === 4 ? 'A' : 'AAAA');
        const leadsBack =
          back.status === 'found' &&
          back.records.some((text) => {
            const address = readAddress(text);
            return address !== undefined && isWithin(address, this.ip, this.ip.version === 4 ? 32 : 128);
          });
        if (leadsBack) valid.push(name.toLowerCase());
      }
      return { names: valid, isNone: false };
    })());
  }

  #values(domain: string): MacroValues {
    const { helo, receiver = 'unknown', seconds = 0 } = this.input;
    return {
      sender: this.sender,
      domain,
      helo,
      ip: this.ip,
      receiver,
      seconds,
      validated: async () => {
        const { names } = await this.#validated();
        const own = domain.toLowerCase();
        return names.find((name) => name === own) ?? names.find((name) => isAtOrBelow(name, own)) ?? names[0] ?? 'unknown';
      },
    };
  }

  async #name(macros: MacroString | undefined, domain: string): Promise<string> {
    return macros === undefined ? domain : fitted(await expand(macros, this.#values(domain)));
  }

  /** The words of a domain about a failure; nothing where they cannot be had. */
  async explanation({ explain, domain }: Outcome): Promise<string | undefined> {
    if (explain === undefined) return undefined;
    const answer = await this.input.ask(await this.#name(explain, domain), 'TXT');
    const [text, more] = answer.status === 'found' ? answer.records : [];
    if (text === undefined || more !== undefined) return undefined;
    const macros = readMacros(text, true);
    return macros === undefined ? undefined : (await expand(macros, this.#values(domain))).slice(0, MOST_EXPLAINED);
  }
}

function isAtOrBelow(name: string, domain: string): boolean {
  return name === domain || name.endsWith(`.${domain}`);
}
