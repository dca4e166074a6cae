import { signMail, type SigningKey } from '@verbalis/core/dkim';
import { addressText, bytesOf, isFault, parseAddress, parseMailbox, prefixed, writeMail } from '@verbalis/core/mime';
import { replyText } from '@verbalis/core/smtp';
import type { Clock } from '../../kernel/index.js';
import { OPEN_GATE, type Job, type Provider } from './provider.js';

export interface ProbeOptions {
  readonly clock: Clock;
  readonly keysFor: (domain: string) => readonly SigningKey[];
  /** Who writes from a space, as it is in the configuration. */
  readonly senderOf: (space: string) => Promise<string | undefined>;
}

/** What a test mail says; a few plain words when left out. */
export interface ProbeContent {
  readonly subject: string;
  readonly text: string;
  readonly html: string;
}

export type ProviderProbe = (
  provider: Provider,
  space: string,
  to: string,
  content?: ProbeContent,
) => Promise<{ kind: string; detail: string }>;

/** Makes a test email; undefined where the space has no sender to write it. */
export type TestJobs = (provider: Provider, space: string, to: string, content?: ProbeContent) => Promise<Job | undefined>;

/** What shows whether letters beyond ASCII, HTML and files arrive: all that a template may have. */
const SAMPLE_FILE = { name: 'Zeichen ✓.txt', type: 'text/plain', text: 'Größe: 5 €\n' };
const SAMPLE_NAME = 'Ása Þórsdóttir';

function sampleContent(provider: string): ProbeContent {
  const text = `This is a test email through the provider "${provider}".\nIts text, its HTML and its attachment have letters beyond ASCII: äöü € ✓\n`;
  return {
    subject: `Test of the provider ${provider} ✓`,
    text,
    html: `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Test</title></head><body>${text
      .trim()
      .split('\n')
      .map((line) => `<p>${line.replace(/"/g, '&quot;')}</p>`)
      .join('')}</body></html>`,
  };
}

/** Makes test emails: with what the caller gives, or with all that a template may have. */
export function testJobs({ clock, keysFor, senderOf }: ProbeOptions): TestJobs {
  return async (provider, space, to, content) => {
    const from = parseMailbox((await senderOf(space)) ?? '');
    const address = parseAddress(to);
    if (isFault(from) || isFault(address)) return undefined;
    const id = `test-${clock.now()}@${from.domain}`;
    const { subject, text, html } = content ?? sampleContent(provider.name);
    const attachments =
      content === undefined ? [{ name: SAMPLE_FILE.name, type: SAMPLE_FILE.type, body: bytesOf(Buffer.from(SAMPLE_FILE.text)) }] : [];
    const shared = {
      from,
      to: [{ ...address, name: content === undefined ? SAMPLE_NAME : '' }],
      cc: [],
      replyTo: [],
      subject,
      text,
      headers: [['Auto-Submitted', 'auto-generated']] as const,
    };
    const written = writeMail({
      ...shared,
      html,
      attachments,
      messageId: id,
      date: clock.now(),
      boundary: '=_test',
    });
    const mail = prefixed(await signMail(written, keysFor(from.domain), clock.now()), written);
    const parts = {
      ...shared,
      html,
      messageId: id,
      deliveryId: id,
      attachments,
      pictures: [],
      inReplyTo: undefined,
      references: [],
      calendar: undefined,
      unsubscribe: undefined,
      template: '',
      topic: undefined,
      reference: undefined,
      labels: {},
      traceparent: undefined,
      tracestate: undefined,
    };
    return {
      envelope: { from: addressText(from), to: addressText(address) },
      mail,
      parts,
      request: { space, urgent: true, domain: address.domain },
    };
  };
}

/** Hands one email to a provider at once and outside of the queue, to see whether it accepts it. */
export function providerProbe(jobs: TestJobs): ProviderProbe {
  return async (provider, space, to, content) => {
    const job = await jobs(provider, space, to, content);
    if (job === undefined) return { kind: 'refused', detail: 'The space has no sender to write the test email.' };
    const outcome = await provider.hand(job, OPEN_GATE);
    const detail = outcome.reply === undefined ? (outcome.reason ?? outcome.kind) : replyText(outcome.reply);
    return { kind: outcome.kind, detail };
  };
}
