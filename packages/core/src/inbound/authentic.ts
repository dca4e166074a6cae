import {
  evaluateDmarc,
  evaluateSpf,
  verifyDkim,
  type DkimVerdict,
  type DmarcVerdict,
  type DnsAsk,
  type SpfVerdict,
} from '../authentication/index.js';
import type { Suspicion } from './suspicious.js';

/** How an email came in. */
export interface InboundTransport {
  /** With CRLF at the ends of its lines. */
  readonly bytes: Uint8Array;
  /** Empty for the null path. */
  readonly envelopeFrom: string;
  readonly hello: string;
  /** The IP address that connected. */
  readonly address: string;
}

/** What our own verifiers find (RFC 8601 2.7). */
export interface Authentication {
  readonly spf: { readonly result: SpfVerdict['result']; readonly domain: string; readonly reason: string };
  readonly dkim: readonly {
    readonly result: DkimVerdict['result'];
    readonly domain?: string;
    readonly selector?: string;
    readonly reason: string;
  }[];
  readonly dmarc: { readonly result: DmarcVerdict['result']; readonly policy?: string; readonly reason: string };
}

/**
 * Whether an email is of whom it names as its author.
 * @param author the domain of its From field; undefined where that cannot be read
 */
export async function authenticate(
  { bytes, envelopeFrom, hello, address }: InboundTransport,
  { author, ask, seconds }: { readonly author: string | undefined; readonly ask: DnsAsk; readonly seconds: number },
): Promise<Authentication> {
  const [signatures, spf] = await Promise.all([
    verifyDkim({ mail: bytes, ask, seconds }),
    evaluateSpf({ ip: address, sender: envelopeFrom, helo: hello, ask, seconds }),
  ]);
  const domain = envelopeFrom.slice(envelopeFrom.lastIndexOf('@') + 1).toLowerCase() || hello.toLowerCase();
  const dmarc: DmarcVerdict =
    author === undefined
      ? {
          result: 'permerror',
          reason: 'It names no author that can be read.',
          policy: undefined,
          recordAt: undefined,
          aligned: { dkim: [], spf: undefined },
        }
      : await evaluateDmarc({ from: author, dkim: signatures, spf: { result: spf.result, domain }, ask });
  return {
    spf: { result: spf.result, domain, reason: spf.reason },
    dkim: signatures.map(({ result, domain: of, selector, reason }) => ({
      result,
      ...(of === undefined ? {} : { domain: of }),
      ...(selector === undefined ? {} : { selector }),
      reason,
    })),
    dmarc: { result: dmarc.result, ...(dmarc.policy === undefined ? {} : { policy: dmarc.policy }), reason: dmarc.reason },
  };
}

/** What authentication says against an email. */
export function doubtsOf({ dmarc }: Authentication, author: string): Suspicion[] {
  if (dmarc.result !== 'fail') return [];
  return [
    { code: 'not-authentic', text: `Its author is not proven to be at ${author}, though that domain asks for proof. ${dmarc.reason}` },
  ];
}
