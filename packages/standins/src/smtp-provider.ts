import { appendFileSync } from 'node:fs';
import { foreignMail } from '@verbalis/core/mime';
import type { Answer, Envelope } from '@verbalis/core/smtp';
import { listenSmtp, SmtpConnection, type SmtpListener } from '@verbalis/service/smtp-socket';
import { writeReport } from '@verbalis/core/returns';
import type { Fate, Script } from './script.js';

export interface StandInOptions {
  readonly name: string;
  readonly host: string;
  readonly port: number;
  readonly script: Script;
  /** Where reports are mailed to: the return-path listener. A real server would look the domain up. */
  readonly returnsTo: { readonly host: string; readonly port: number };
  /** How long after acceptance a report is mailed, in milliseconds. */
  readonly reportAfterMs: number;
  /** A file to which each mail that is taken adds a line of JSON. */
  readonly tally?: string | undefined;
}

/** What the stand-in has seen of one recipient. */
export interface Seen {
  readonly address: string;
  tries: number;
  taken: number;
}

export interface StandInProvider {
  readonly port: number;
  readonly seen: ReadonlyMap<string, Seen>;
  readonly close: () => Promise<void>;
}

/** A simulated mail provider: speaks real SMTP, and does with each recipient what its script says. */
export async function startSmtpProvider(options: StandInOptions): Promise<StandInProvider> {
  const seen = new Map<string, Seen>();
  const timers = new Set<NodeJS.Timeout>();
  const of = (address: string): Seen => {
    const key = address.toLowerCase();
    const found = seen.get(key) ?? { address: key, tries: 0, taken: 0 };
    seen.set(key, found);
    return found;
  };
  const fateOf = (address: string): Fate => options.script[address.toLowerCase()] ?? 'accept';

  function recipient({ to }: Envelope): Answer {
    const known = of(to);
    known.tries += 1;
    switch (fateOf(to)) {
      case 'refuse':
        return { code: 550, enhanced: '5.1.1', text: `<${to}>: Recipient address rejected: no such user here` };
      case 'defer-twice':
        return known.tries <= 2
          ? { code: 451, enhanced: '4.7.1', text: `<${to}>: Greylisted, please come back later` }
          : { code: 250, enhanced: '2.1.5', text: 'OK' };
      default:
        return { code: 250, enhanced: '2.1.5', text: 'OK' };
    }
  }

  async function report(
    returnPath: string,
    to: string,
    action: 'failed' | 'delivered',
    mail: Uint8Array,
    arrivedAt: number,
  ): Promise<void> {
    const id = `${arrivedAt.toString(36)}${Math.random().toString(36).slice(2, 10)}`;
    const bytes = writeReport({
      reportingMta: `${options.name}.example`,
      recipient: to,
      returnPath,
      action,
      arrivedAt,
      now: Date.now(),
      original: mail,
      id,
    });
    const connection = new SmtpConnection({ ...options.returnsTo, helloName: `${options.name}.example` });
    const opened = await connection.open();
    const outcome = opened === 'ready' ? await connection.deliver({ from: '', to: returnPath }, foreignMail(bytes)) : opened;
    connection.close();
    // A mail server keeps trying; so does its stand-in.
    if (outcome.kind !== 'accepted' && outcome.kind !== 'refused') later(1000, () => report(returnPath, to, action, mail, arrivedAt));
  }

  function later(ms: number, run: () => Promise<void>): void {
    const timer = setTimeout(() => {
      timers.delete(timer);
      void run();
    }, ms);
    timers.add(timer);
  }

  const listener: SmtpListener = await listenSmtp(
    options.host,
    options.port,
    { name: `${options.name}.example`, maxBytes: 30 * 1024 * 1024, maxRecipients: 100 },
    {
      recipient,
      mail: ({ from, to, bytes }) => {
        const at = Date.now();
        for (const one of to) {
          of(one).taken += 1;
          if (options.tally !== undefined) appendFileSync(options.tally, `${JSON.stringify({ to: one, from, at, size: bytes.length })}\n`);
          const fate = fateOf(one);
          if (fate === 'report-failed' || fate === 'report-delivered') {
            later(options.reportAfterMs, () => report(from, one, fate === 'report-failed' ? 'failed' : 'delivered', bytes, at));
          }
        }
        return { code: 250, enhanced: '2.0.0', text: `Taken as ${at.toString(36)}` };
      },
    },
  );
  return {
    port: listener.port,
    seen,
    close: async () => {
      for (const timer of timers) clearTimeout(timer);
      await listener.close();
    },
  };
}
