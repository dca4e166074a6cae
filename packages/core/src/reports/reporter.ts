import { evaluateDmarc, evaluateSpf, verifyDkim, type DnsAsk } from '../authentication/index.js';
import { isFault, readAuthor, readMail, undecodedText } from '../mime/index.js';

/** How a report came in. */
export interface ReportMail {
  /** With CRLF at the ends of its lines. */
  readonly bytes: Uint8Array;
  /** Empty for the null path. */
  readonly envelopeFrom: string;
  /** How the server called itself. */
  readonly hello: string;
  /** The IP address that connected. */
  readonly address: string;
}

/** Whether a report comes from the domain that its From field names. */
export interface ReporterProof {
  /** `unknown`: the name servers did not answer, or nobody asked them. */
  readonly state: 'proven' | 'unproven' | 'unknown';
  /** Of the From field; absent if that names no author. */
  readonly domain?: string;
  /** In a sentence. */
  readonly reason: string;
}

/**
 * Who sent a report. Anyone can write one about any domain, so only DMARC tells a receiver from a sender that uses its name (RFC 7489 7.2.1.1: the
 * email that carries a report is authenticated as any other).
 */
export async function proveReporter(
  { bytes, envelopeFrom, hello, address }: ReportMail,
  { ask, seconds }: { readonly ask: DnsAsk; readonly seconds: number },
): Promise<ReporterProof> {
  const authors = readMail(bytes).fields.filter(({ name }) => name === 'from');
  const author = authors.length === 1 && authors[0] !== undefined ? readAuthor(undecodedText(authors[0].raw.slice(0, LONGEST))) : undefined;
  if (author === undefined || isFault(author)) return { state: 'unproven', reason: 'The email names no single author.' };
  const domain = author.domain.toLowerCase();
  const [dkim, spf] = await Promise.all([
    verifyDkim({ mail: bytes, ask, seconds }),
    evaluateSpf({ ip: address, sender: envelopeFrom, helo: hello, ask, seconds }),
  ]);
  const path = envelopeFrom.slice(envelopeFrom.lastIndexOf('@') + 1).toLowerCase() || hello.toLowerCase();
  const { result, reason } = await evaluateDmarc({ from: domain, dkim, spf: { result: spf.result, domain: path }, ask });
  // A signature or SPF that could not be looked up may be right.
  const isOpen = result === 'temperror' || (result === 'fail' && [spf, ...dkim].some((found) => found.result === 'temperror'));
  return { state: isOpen ? 'unknown' : result === 'pass' ? 'proven' : 'unproven', domain, reason };
}

/** Characters of a From field that are read. */
const LONGEST = 4096;
