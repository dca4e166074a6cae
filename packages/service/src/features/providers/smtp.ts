import { lookup } from 'node:dns/promises';
import { isIP } from 'node:net';
import { type Outcome, type Phase, replyText } from '@verbalis/core/smtp';
import { SmtpConnection, type ConnectionFacts, type ConnectionOptions } from '../smtp/index.js';
import { admission, gateOfConnected, reportLate } from './admission.js';
import type { Finding, Gate, Provider } from './provider.js';

export interface SmtpProviderOptions extends ConnectionOptions {
  /** Connections at most; an email waits for a free one. */
  readonly connections: number;
  /** Whether several spaces send through it. */
  readonly isShared: boolean;
  /** How long an idle connection is kept, in milliseconds. */
  readonly idleMs: number;
  /** After so many emails a connection is closed, since many servers want that. */
  readonly emailsPerConnection: number;
}

interface Kept {
  readonly connection: SmtpConnection;
  emails: number;
  timer: NodeJS.Timeout | undefined;
}

/** An SMTP relay with connections that are kept and reused. */
export function smtpProvider(name: string, options: SmtpProviderOptions): Provider {
  const idle: Kept[] = [];
  const admit = admission(options.connections, { isPacedByDomain: true, isShared: options.isShared });
  let closed = false;

  const take = (): Kept | undefined => {
    for (let kept = idle.pop(); kept !== undefined; kept = idle.pop()) {
      clearTimeout(kept.timer);
      if (kept.connection.usable) return kept;
      kept.connection.close();
    }
    return undefined;
  };
  const keep = (kept: Kept): void => {
    kept.emails += 1;
    if (closed || !kept.connection.usable || kept.emails >= options.emailsPerConnection) {
      kept.connection.close();
      return;
    }
    kept.timer = setTimeout(() => {
      idle.splice(idle.indexOf(kept), 1);
      kept.connection.close();
    }, options.idleMs);
    kept.timer.unref();
    idle.push(kept);
  };

  return {
    name,
    kind: 'smtp',
    where: `${options.host}:${options.port}`,
    hand: ({ envelope, mail, request }, gate) =>
      admit({ request }, gate, async () => {
        for (;;) {
          const reused = take();
          const kept = reused ?? { connection: new SmtpConnection(options), emails: 0, timer: undefined };
          const opened = await openedInTime(kept.connection, gate);
          if (opened !== 'ready') {
            kept.connection.close();
            return opened;
          }
          const { mayLeave, ended } = gateOfConnected(gate);
          const outcome = await kept.connection.deliver(envelope, mail, mayLeave);
          ended();
          // A kept connection that turns out to be gone before the server has said a word of this mail: a new one is worth a try at once.
          const stale = reused !== undefined && outcome.kind === 'trouble' && outcome.reply === undefined && EARLY.has(outcome.phase);
          if (stale) {
            kept.connection.close();
            continue;
          }
          keep(kept);
          return outcome;
        }
      }),
    examine: () => examineSmtp(options),
    close() {
      closed = true;
      for (const kept of idle.splice(0)) {
        clearTimeout(kept.timer);
        kept.connection.close();
      }
    },
  };
}

/** Opens a connection; reports it when that takes long. */
async function openedInTime(connection: SmtpConnection, gate: Gate): Promise<Outcome | 'ready'> {
  if (connection.usable) return 'ready';
  const ended = reportLate(gate, 'opening');
  const opened = await connection.open();
  ended();
  return opened;
}

const EARLY: ReadonlySet<Phase> = new Set(['connect', 'hello', 'sender']);

const STEP_NAMES: Partial<Record<Phase, string>> = {
  greeting: 'greeting',
  hello: 'hello',
  secure: 'tls',
  login: 'login',
};

/** Connects, says what the server offers, and how it goes as far as the login. */
async function examineSmtp(options: ConnectionOptions): Promise<Finding[]> {
  const out: Finding[] = [];
  let from = performance.now();
  const lap = (): number => {
    const now = performance.now();
    const spent = Math.round(now - from);
    from = now;
    return spent;
  };
  if (isIP(options.host) === 0) {
    try {
      const found = await lookup(options.host, { all: true });
      out.push({
        step: 'look up',
        ok: true,
        milliseconds: lap(),
        detail: `${options.host} is ${found.map((lookup) => lookup.address).join(', ')}.`,
      });
    } catch (error) {
      const code = (error as NodeJS.ErrnoException).code ?? String(error);
      const hint = 'Check the name, and that this machine can ask a DNS server.';
      return [{ step: 'look up', ok: false, milliseconds: lap(), detail: `${options.host} is not found (${code}).`, hint }];
    }
  }
  const entered: { phase: Phase; milliseconds: number }[] = [];
  const connection = new SmtpConnection(options, (phase) => {
    if (entered.at(-1)?.phase !== phase) entered.push({ phase, milliseconds: lap() });
  });
  const opened = await connection.open();
  const last = lap();
  const facts = connection.facts;
  connection.close();
  // A phase is over when the next is entered.
  entered.forEach(({ phase, milliseconds }, i) => {
    if (i === 0)
      out.push({ step: 'connect', ok: true, milliseconds, detail: `Connected to ${facts.address ?? options.host}:${options.port}.` });
    const step = STEP_NAMES[phase];
    const ended = entered[i + 1];
    const failed = opened !== 'ready' && ended === undefined;
    if (step === undefined || failed || (step === 'hello' && out.some((finding) => finding.step === 'hello'))) return;
    if (ended === undefined && phase !== 'hello') return;
    out.push({ step, ok: true, milliseconds: ended?.milliseconds ?? last, detail: detailOf(step, facts) });
  });
  if (options.security === 'implicit' && facts.tls !== undefined && opened === 'ready')
    out.splice(1, 0, { step: 'tls', ok: true, milliseconds: 0, detail: detailOf('tls', facts) });
  if (opened !== 'ready')
    out.push({ step: STEP_NAMES[opened.phase] ?? 'connect', ok: false, milliseconds: last, ...explained(opened, options) });
  return out;
}

function detailOf(step: string, facts: ConnectionFacts): string {
  const { tls } = facts;
  switch (step) {
    case 'greeting':
      return `It says: ${facts.greeting}`;
    case 'tls':
      if (tls === undefined) return 'Not secure.';
      return `${tls.version}, ${tls.cipher}; certificate for ${tls.certificate.subject.CN}${tls.certificate.subjectaltname === undefined ? '' : ` (${tls.certificate.subjectaltname})`}, by ${tls.certificate.issuer.CN}, until ${tls.certificate.valid_to}${tls.trusted ? '' : ', NOT verified'}.`;
    case 'login':
      return facts.authenticated === undefined ? 'No login.' : `Logged in by ${facts.authenticated}.`;
    default:
      return `It offers: ${[...facts.extensions].map(([name, value]) => `${name}${value === '' ? '' : ` ${value}`}`).join(', ') || 'nothing'}.`;
  }
}

/** What to do about a server that did not get as far as taking mail. */
function explained(outcome: Outcome, options: ConnectionOptions): { detail: string; hint: string | undefined } {
  const detail = outcome.reply === undefined ? (outcome.reason ?? '') : `It answers: ${replyText(outcome.reply)}`;
  const code = outcome.reply?.code;
  if (outcome.phase === 'login' && code !== undefined)
    return {
      detail,
      hint:
        code >= 500
          ? 'User or password is wrong, or this account may not send. Check both with who runs the server.'
          : 'The server cannot check the login now; try again.',
    };
  if (outcome.phase === 'connect')
    return {
      detail,
      hint: /refused/.test(detail)
        ? 'Check host and port, and that the server runs.'
        : 'Check host and port, and whether a firewall blocks them.',
    };
  if (outcome.phase === 'greeting' && code === undefined && options.security !== 'implicit')
    return { detail, hint: 'A server that waits for TLS from the first byte stays silent: set tls.mode: implicit (usual on port 465).' };
  return { detail, hint: undefined };
}
