import { evaluateDmarc, evaluateSpf, verifyDkim, type DkimVerdict, type DnsAsk } from '../authentication/index.js';
import { readMail, undecodedText } from '../mime/index.js';

/** A test email as it came in at our own listener. */
export interface TestMail {
  /** With CRLF at the ends of its lines. */
  readonly bytes: Uint8Array;
  /** Of the envelope; empty for the null path. */
  readonly envelopeFrom: string;
  /** As the server called itself. */
  readonly hello: string;
  /** The IP address that connected. */
  readonly address: string;
  /** With S when it was secure (RFC 3848). */
  readonly protocol: string;
}

/** One thing that a receiver looks at. */
export interface TestResult {
  readonly check: 'dkim' | 'spf' | 'dmarc' | 'tls' | 'unsubscribe' | 'path';
  readonly state: 'right' | 'wrong' | 'advice';
  /** What was found. */
  readonly sentence: string;
  /** What to do. */
  readonly hint?: string;
}

export interface TestContext {
  /** The domain that the email is from. */
  readonly domain: string;
  readonly ask: DnsAsk;
  /** Seconds since the epoch. */
  readonly seconds: number;
  /** Whether our own listener offers TLS. */
  readonly offersTls: boolean;
}

/** Judges a test email as a receiver would: whether it is authentic, and how it came. */
export async function judgeTestMail(mail: TestMail, context: TestContext): Promise<TestResult[]> {
  const { domain, ask, seconds } = context;
  const [signatures, spf] = await Promise.all([
    verifyDkim({ mail: mail.bytes, ask, seconds }),
    evaluateSpf({ ip: mail.address, sender: mail.envelopeFrom, helo: mail.hello, ask, seconds }),
  ]);
  const path = mail.envelopeFrom.slice(mail.envelopeFrom.lastIndexOf('@') + 1).toLowerCase() || mail.hello;
  const dmarc = await evaluateDmarc({ from: domain, dkim: signatures, spf: { result: spf.result, domain: path }, ask });
  const own = signatures.filter((signature) => isWithin(domain, signature.domain ?? ''));
  return [
    ...dkimResults(signatures, own, domain),
    {
      check: 'spf',
      state: spf.result === 'pass' ? 'right' : dmarc.aligned.dkim.length > 0 ? 'advice' : 'wrong',
      sentence: `SPF of ${path} says ${spf.result} for ${mail.address}: ${spf.reason}`,
      ...(spf.result === 'pass'
        ? {}
        : { hint: `The SPF record of ${path} must allow ${mail.address}; put the mechanism of its provider into facts.spf.` }),
    },
    {
      check: 'dmarc',
      state: dmarc.result === 'pass' ? (dmarc.aligned.spf === undefined || dmarc.aligned.dkim.length === 0 ? 'advice' : 'right') : 'wrong',
      sentence: `DMARC ${dmarc.result === 'pass' ? 'passes' : `says ${dmarc.result}`}: ${dmarc.reason}`,
      ...alignmentHint(dmarc.aligned, { path, domain, isAuthentic: dmarc.result === 'pass' }),
    },
    tlsResult(mail, context.offersTls),
    unsubscribeResult(own),
    pathResult(mail),
  ];
}

/** Whether a domain is another or within it. */
const isWithin = (name: string, domain: string): boolean => domain !== '' && (name === domain || name.endsWith(`.${domain}`));

function dkimResults(signatures: readonly DkimVerdict[], own: readonly DkimVerdict[], domain: string): TestResult[] {
  if (own.length === 0) {
    const others = signatures.flatMap((signature) => signature.domain ?? []).join(', ');
    return [
      {
        check: 'dkim',
        state: 'wrong',
        sentence: `There is no signature of ${domain}${others === '' ? '' : `, only of ${others}`}.`,
        hint: 'Its keys are not published yet, or something on the way removes signatures.',
      },
    ];
  }
  return own.map(({ result, reason, selector = '', domain: of = domain }) => ({
    check: 'dkim',
    state: result === 'pass' ? 'right' : 'wrong',
    sentence: result === 'pass' ? reason : `The signature of ${of} with the key ${selector} does not hold: ${reason}`,
    ...(result === 'pass' ? {} : { hint: dkimHint(result, reason) }),
  }));
}

function dkimHint(result: DkimVerdict['result'], reason: string): string {
  if (reason.startsWith('The body was changed'))
    return 'Something on the way changes the content, such as a footer or a scanner of the relay: switch that off for email that is signed already.';
  if (result === 'fail') return 'Something on the way changes a signed header field, or another key is published under this selector.';
  return result === 'temperror' ? 'Try again later.' : 'See which record is wrong: verbalis domains check.';
}

function alignmentHint(
  { dkim, spf }: { readonly dkim: readonly string[]; readonly spf: string | undefined },
  { path, domain, isAuthentic }: { readonly path: string; readonly domain: string; readonly isAuthentic: boolean },
): { readonly hint?: string } {
  if (dkim.length > 0 && spf !== undefined) return {};
  if (dkim.length > 0)
    return {
      hint: `SPF is not aligned: the return path is at ${path}. That is usual where a provider replaces it; the signature carries DMARC alone.`,
    };
  if (isAuthentic) return { hint: 'Only SPF carries DMARC, which ends where email is forwarded; the signature should, too.' };
  return { hint: `Neither a signature of ${domain} nor SPF of it holds; see above which of them is wrong.` };
}

function tlsResult({ protocol, hello }: TestMail, offersTls: boolean): TestResult {
  const isSecure = /^U?E?SMTPSA?$|^UTF8SMTPSA?$/.test(protocol);
  if (isSecure) return { check: 'tls', state: 'right', sentence: `${hello} brought it over TLS.` };
  return {
    check: 'tls',
    state: 'advice',
    sentence: `${hello} brought it over a connection that can be read by others.`,
    hint: offersTls
      ? `Switch on TLS for outgoing email at ${hello}.`
      : 'This listener offers no TLS: set returns.tls to a certificate and its key.',
  };
}

/** Fields of RFC 8058 that a signature has to name. */
const UNSUBSCRIBE = ['list-unsubscribe', 'list-unsubscribe-post'];

function unsubscribeResult(own: readonly DkimVerdict[]): TestResult {
  const isCovered = own.some(({ result, fields }) => result === 'pass' && UNSUBSCRIBE.every((name) => fields.includes(name)));
  return isCovered
    ? { check: 'unsubscribe', state: 'right', sentence: 'A valid signature covers the List-Unsubscribe fields (RFC 8058).' }
    : {
        check: 'unsubscribe',
        state: 'advice',
        sentence: 'No valid signature covers the List-Unsubscribe fields.',
        hint: 'Mailbox providers show no button to unsubscribe then; email of optional topics needs a signature of this service, or a provider that signs these fields.',
      };
}

function pathResult({ bytes, address, hello }: TestMail): TestResult {
  const received = readMail(bytes).fields.filter(({ name }) => name === 'received');
  const hops = received.flatMap(({ raw }) => /\bby\s+([^\s;()]+)/i.exec(undecodedText(raw))?.[1] ?? []);
  const way = [...hops].reverse().slice(0, 10).join(', then ');
  return { check: 'path', state: 'right', sentence: `It came from ${address} (${hello})${way === '' ? '' : `, by way of ${way}`}.` };
}
