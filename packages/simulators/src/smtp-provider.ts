import { appendFileSync } from 'node:fs';
import { foreignMail } from '@verbalis/core/mime';
import type { Answer } from '@verbalis/core/smtp';
import { listenSmtp, SmtpConnection, type SmtpListener } from '@verbalis/service/smtp';
import { writeComplaint, writeReport } from '@verbalis/core/returns';
import type { Script } from './script.js';

export interface SmtpSimulatorOptions {
  readonly name: string;
  readonly host: string;
  readonly port: number;
  readonly script: Script;
  /** What it does with a recipient whom the script does not name; takes the mail when left out. */
  readonly behaviour?: (to: string, tries: number, now: number) => Behaviour;
  /** Its time, where that is not this machine's. */
  readonly clock?: SimulatorClock;
  /** Where reports are mailed to: the return-path listener. A real server would look the domain up. */
  readonly returnsTo: { readonly host: string; readonly port: number };
  /** How long after acceptance a report is mailed, in milliseconds. */
  readonly reportAfterMs: number;
  /** A file to which each mail that is taken adds a line of JSON. */
  readonly tally?: string | undefined;
  /** Whether the last email to each recipient is kept. */
  readonly keepsMail?: boolean;
}

/** What the simulator says of a recipient, and what it lets be known of the mail later. */
export interface Behaviour {
  readonly answer: Answer;
  /** How long it takes to answer, in milliseconds; at once when left out. */
  readonly afterMs?: number;
  readonly later?: {
    /** After so many milliseconds. */
    readonly afterMs: number;
    readonly what: 'failed' | 'delayed' | 'delivered' | 'complained';
    readonly status?: string;
    readonly diagnostic?: string;
  };
}

export interface SimulatorClock {
  /** Milliseconds since the epoch. */
  readonly now: () => number;
  /** Calls back at a time; gives a function that calls it off. */
  readonly at: (at: number, run: () => void) => () => void;
}

const SYSTEM_CLOCK: SimulatorClock = {
  now: () => Date.now(),
  at: (at, run) => {
    const timer = setTimeout(run, Math.max(0, at - Date.now()));
    return () => {
      clearTimeout(timer);
    };
  },
};

/** Before a report that was not taken is tried again: soon in a test; where the clock is moved, every try is a stop of the clock. In milliseconds. */
const RETRY_MS = { real: 1000, moved: 60_000 };
/** How long it waits for the receiver of reports, in milliseconds. A mail server would wait for minutes (RFC 5321 4.5.3.2). */
const WAITS = { connect: 10_000, reply: 20_000, content: 20_000, verdict: 20_000 };
const TAKEN: Answer = { code: 250, enhanced: '2.1.5', text: 'OK' };

/** What the simulator has seen of one recipient. */
export interface Seen {
  readonly address: string;
  tries: number;
  taken: number;
  /** The sender of the last envelope that was taken. */
  from?: string;
  /** Its bytes, where they are kept. */
  mail?: Uint8Array;
}

export interface SmtpSimulator {
  readonly port: number;
  readonly seen: ReadonlyMap<string, Seen>;
  /** Whether a report is on its way. */
  readonly busy: () => boolean;
  /** How many reports are still to be mailed. */
  readonly reportsDue: () => number;
  readonly close: () => Promise<void>;
}

/** A simulated mail provider: speaks real SMTP, and does with each recipient what its script says. */
export async function startSmtpProvider(options: SmtpSimulatorOptions): Promise<SmtpSimulator> {
  const clock = options.clock ?? SYSTEM_CLOCK;
  const seen = new Map<string, Seen>();
  const underWay = new Set<Promise<void>>();
  const timers = new Set<() => void>();
  const of = (address: string): Seen => {
    const key = address.toLowerCase();
    const found = seen.get(key) ?? { address: key, tries: 0, taken: 0 };
    seen.set(key, found);
    return found;
  };

  function behaviourOf(to: string, tries: number): Behaviour {
    const outcome = options.script[to.toLowerCase()];
    const afterMs = options.reportAfterMs;
    switch (outcome) {
      case 'refuse':
        return { answer: { code: 550, enhanced: '5.1.1', text: `<${to}>: Recipient address rejected: no such user here` } };
      case 'defer-twice':
        return { answer: tries <= 2 ? { code: 451, enhanced: '4.7.1', text: `<${to}>: Greylisted, please come back later` } : TAKEN };
      case 'report-failed':
        return { answer: TAKEN, later: { afterMs, what: 'failed' } };
      case 'report-delivered':
        return { answer: TAKEN, later: { afterMs, what: 'delivered' } };
      case 'complain':
        return { answer: TAKEN, later: { afterMs, what: 'complained' } };
      case 'accept':
        return { answer: TAKEN };
      case undefined:
      default:
        return options.behaviour?.(to, tries, clock.now()) ?? { answer: TAKEN };
    }
  }

  async function report(
    returnPath: string,
    {
      to,
      later,
      original,
      arrivedAt,
    }: { readonly to: string; readonly later: NonNullable<Behaviour['later']>; readonly original: Uint8Array; readonly arrivedAt: number },
  ): Promise<void> {
    const { what, status, diagnostic } = later;
    const base = {
      reportingMta: `${options.name}.example`,
      recipient: to,
      returnPath,
      arrivedAt,
      now: clock.now(),
      original,
      id: `${arrivedAt.toString(36)}${Math.random().toString(36).slice(2, 10)}`,
    };
    const more = { ...(status === undefined ? {} : { status }), ...(diagnostic === undefined ? {} : { diagnostic }) };
    const bytes = what === 'complained' ? writeComplaint(base) : writeReport({ ...base, ...more, action: what });
    const connection = new SmtpConnection({ ...options.returnsTo, helloName: `${options.name}.example`, waits: WAITS });
    const opened = await connection.open();
    const outcome = opened === 'ready' ? await connection.deliver({ from: '', to: returnPath }, foreignMail(bytes)) : opened;
    connection.close();
    // A mail server keeps trying; so does its simulator.
    if (outcome.kind !== 'accepted' && outcome.kind !== 'refused')
      schedule(options.clock === undefined ? RETRY_MS.real : RETRY_MS.moved, () => report(returnPath, { to, later, original, arrivedAt }));
  }

  async function passOn(from: string, to: string, bytes: Uint8Array): Promise<void> {
    const connection = new SmtpConnection({ ...options.returnsTo, helloName: `mx.${options.name}.example` });
    if ((await connection.open()) === 'ready') await connection.deliver({ from, to }, foreignMail(bytes));
    connection.close();
  }

  function schedule(ms: number, run: () => Promise<void>): void {
    const cancel = clock.at(clock.now() + ms, () => {
      timers.delete(cancel);
      const work = run().finally(() => underWay.delete(work));
      underWay.add(work);
    });
    timers.add(cancel);
  }

  const listener: SmtpListener = await listenSmtp(
    {
      host: options.host,
      doors: [{ port: options.port }],
      server: { name: `${options.name}.example`, maxBytes: 30 * 1024 * 1024, maxRecipients: 100 },
    },
    {
      recipient: ({ to }) => {
        const known = of(to);
        known.tries += 1;
        const { answer, afterMs } = behaviourOf(to, known.tries);
        return afterMs === undefined ? answer : new Promise((done) => setTimeout(done, afterMs, answer));
      },
      mail: ({ from, to, bytes }) => {
        const at = clock.now();
        for (const text of to) {
          const known = of(text);
          known.taken += 1;
          known.from = from;
          if (options.keepsMail === true) known.mail = bytes;
          if (options.tally !== undefined) appendFileSync(options.tally, `${JSON.stringify({ to: text, from, at, size: bytes.length })}\n`);
          const { later } = behaviourOf(text, known.tries);
          // What is meant for the listener of return paths is passed on, as by the MX record of its host.
          if (/^verify\+[^@]+@returns\./.test(text)) schedule(0, () => passOn(from, text, bytes));
          if (later !== undefined) schedule(later.afterMs, () => report(from, { to: text, later, original: bytes, arrivedAt: at }));
        }
        return { code: 250, enhanced: '2.0.0', text: `Taken as ${at.toString(36)}` };
      },
    },
  );
  return {
    port: listener.ports[0] ?? 0,
    seen,
    busy: () => underWay.size > 0,
    reportsDue: () => timers.size + underWay.size,
    close: async () => {
      for (const cancel of timers) cancel();
      await listener.close();
    },
  };
}
