/** Types of records that are asked for here; SPF is the one that RFC 7208 3.1 gave up. */
export type ZoneType = 'A' | 'AAAA' | 'CNAME' | 'MX' | 'TXT' | 'SPF';

/** One record of an answer. */
export interface AnswerRecord {
  /** The text of TXT and SPF with its strings joined, an address, the host of MX and CNAME in lower case without a dot at its end. */
  readonly value: string;
  /** Of MX. */
  readonly priority?: number;
  /** Seconds. */
  readonly ttl: number;
}

/** What a name server says to one question. `alias`: where a CNAME at the name leads. */
export type ZoneAnswer =
  | { readonly status: 'found'; readonly records: readonly AnswerRecord[]; readonly alias?: string }
  | { readonly status: 'none'; readonly isNameMissing: boolean; readonly alias?: string }
  | { readonly status: 'failed'; readonly why: 'no answer' | 'server failure' | 'refused' | 'not an answer' };

/** The servers of the zone that a name belongs to. */
export interface ZoneServers {
  /** The name of the zone. */
  readonly zone: string;
  /** Names of the authoritative servers. */
  readonly servers: readonly string[];
  /** How long others may keep it that a record is missing (RFC 2308 5), in seconds. */
  readonly negativeTtl: number;
}

/** Asks name servers. It never throws: what goes wrong is an answer. */
export interface NameServers {
  /** The authoritative servers for a name, or why they are not known, in a sentence. */
  readonly serversOf: (name: string) => Promise<ZoneServers | { readonly problem: string }>;
  /** Asks one authoritative server. */
  readonly askServer: (server: string, name: string, type: ZoneType) => Promise<ZoneAnswer>;
  /** Asks the configured resolver. `unchecked`: also for what does not pass DNSSEC (RFC 4035 3.2.2). */
  readonly askResolver: (name: string, type: ZoneType, unchecked?: boolean) => Promise<ZoneAnswer>;
}
