import { createHmac, createPrivateKey, sign } from 'node:crypto';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import { fieldOf, parseParameters, readMail, type Part } from '@verbalis/core/mime';
import type { ScriptedOutcome, Script } from './script.js';

/** A dialect of the simulator's own invention. The two differ in everything, so that a profile is proven to be general. */
export type Dialect = 'parcel' | 'postbox';

export interface HttpSimulatorOptions {
  readonly dialect: Dialect;
  readonly host: string;
  readonly port: number;
  readonly script: Script;
  /** What callers must know it by. */
  readonly key: string;
  /** Where it calls about what becomes of letters, and with what it signs: a secret for parcel, an Ed25519 key in PEM for postbox. */
  readonly callsTo?: { readonly url: string; readonly secret: string; readonly afterMs: number } | undefined;
  /** What goes wrong with the first request for an address; for tests. */
  readonly faults?: Map<string, Fault>;
}

export type Fault = 'busy' | 'ill' | 'moved' | 'garbled' | 'no-id' | 'silent' | 'hang-up';

/** A letter as the simulator has understood it. */
export interface TakenLetter {
  readonly id: string;
  readonly to: string;
  readonly subject: string;
  readonly attachments: readonly { readonly name: string; readonly bytes: number }[];
  /** Where it came as a whole mail. */
  readonly mail: Part | undefined;
  readonly headers: Readonly<Record<string, string>>;
}

export interface HttpSimulator {
  readonly port: number;
  readonly taken: readonly TakenLetter[];
  readonly close: () => Promise<void>;
}

async function bodyOf(request: IncomingMessage): Promise<Buffer> {
  const chunks: Buffer[] = [];
  for await (const chunk of request as AsyncIterable<Buffer>) chunks.push(chunk);
  return Buffer.concat(chunks);
}

interface Letter {
  readonly to: string;
  readonly subject: string;
  readonly attachments: TakenLetter['attachments'];
  readonly mail: Part | undefined;
  readonly headers: Readonly<Record<string, string>>;
}

/** parcel: POST /v2/letters, JSON with attachments inline, "Authorization: Token KEY", answers {"letter":{"id"}}. */
function readParcel(body: Buffer): Letter {
  const letter = JSON.parse(body.toString('utf8')) as {
    addressee: { mail: string };
    title: string;
    enclosed?: { label: string; data: string }[];
    extra?: Record<string, string>;
  };
  return {
    to: letter.addressee.mail,
    subject: letter.title,
    attachments: (letter.enclosed ?? []).map(({ label, data }) => ({ name: label, bytes: Buffer.from(data, 'base64').length })),
    mail: undefined,
    headers: letter.extra ?? {},
  };
}

/** postbox: POST /drop?via=raw, multipart form with the raw mail, "X-Box-Key: KEY", answers with a header and <receipt>. */
function readPostbox(body: Buffer, type: string): Letter {
  const form = readMail(Buffer.concat([Buffer.from(`Content-Type: ${type}\r\n\r\n`), body]));
  const part = (name: string): Buffer => {
    const found = form.parts.find(
      (candidate) => parseParameters(fieldOf(candidate, 'content-disposition') ?? '').parameters['name'] === name,
    );
    return Buffer.from(found?.body ?? []);
  };
  const mail = readMail(part('mime'));
  return { to: part('rcpt').toString('utf8'), subject: fieldOf(mail, 'subject') ?? '', attachments: [], mail, headers: {} };
}

const SENTENCES: Readonly<Record<Dialect, (address: string) => string>> = {
  parcel: (address) => JSON.stringify({ failure: { kind: 'addressee_unknown', words: `no mailbox for ${address}`, smtp: '5.1.1' } }),
  postbox: (address) => JSON.stringify({ errors: [{ text: `user unknown: ${address}` }] }),
};

/** What each dialect says of a letter's outcome. */
function newsOf(
  dialect: Dialect,
  { nr, id, address, outcome }: { readonly nr: string; readonly id: string; readonly address: string; readonly outcome: ScriptedOutcome },
): unknown {
  const failed = outcome === 'report-failed';
  if (dialect === 'parcel') {
    const what = failed ? 'came-back' : outcome === 'complain' ? 'minded' : 'arrived';
    const answer = failed ? { code: 550, enhanced: '5.1.1', text: `550 5.1.1 <${address}>: no such mailbox` } : undefined;
    return { nr, what, ...(failed ? { how: 'hard' } : {}), letter: id, when: new Date().toISOString(), answer };
  }
  const event = failed ? 'BOUNCED' : outcome === 'complain' ? 'UNWANTED' : 'INBOX';
  return {
    uid: nr,
    event,
    receipt: id,
    rcpt: address,
    ts: Math.floor(Date.now() / 1000),
    diag: failed ? `smtp; 550 5.1.1 <${address}>: no such mailbox` : undefined,
  };
}

/** A call as each dialect signs it: HMAC-SHA256 in hex over time and body, or Ed25519 in base64 over the body. */
export function signedCall(
  dialect: Dialect,
  news: readonly unknown[],
  secret: string,
  now = Date.now(),
): { body: string; headers: Record<string, string> } {
  const body = JSON.stringify(dialect === 'parcel' ? { news } : news);
  const headers: Record<string, string> = { 'Content-Type': 'application/json' };
  if (dialect === 'parcel') {
    const time = String(Math.floor(now / 1000));
    headers['X-Parcel-Time'] = time;
    headers['X-Parcel-Signature'] = createHmac('sha256', secret).update(`${time}.${body}`).digest('hex');
  } else headers['X-Box-Signature'] = sign(null, Buffer.from(body), createPrivateKey(secret)).toString('base64');
  return { body, headers };
}

/** A simulated mail provider with an HTTP API. */
export async function startHttpProvider(options: HttpSimulatorOptions): Promise<HttpSimulator> {
  const { dialect, script, key } = options;
  const taken: TakenLetter[] = [];
  const tries = new Map<string, number>();
  const faults = options.faults ?? new Map<string, Fault>();
  const parcel = dialect === 'parcel';
  const timers = new Set<NodeJS.Timeout>();
  /** Calls about a letter some time after; again until somebody takes it. */
  const report = (id: string, address: string, outcome: ScriptedOutcome): void => {
    const { callsTo } = options;
    if (callsTo === undefined || !['report-failed', 'report-delivered', 'complain'].includes(outcome)) return;
    const nr = `${id}-news`;
    let left = 20;
    const call = async (): Promise<void> => {
      const { body, headers } = signedCall(dialect, [newsOf(dialect, { nr, id, address, outcome })], callsTo.secret);
      const taken = await fetch(callsTo.url, { method: 'POST', body, headers }).then(
        (response) => response.ok,
        () => false,
      );
      left -= 1;
      if (!taken && left > 0) later();
    };
    const later = (): void => {
      const timer = setTimeout(() => {
        timers.delete(timer);
        void call();
      }, callsTo.afterMs);
      timers.add(timer);
    };
    later();
  };

  async function answer(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const say = (status: number, text: string, headers: Record<string, string> = {}): void => {
      response.writeHead(status, { 'Content-Type': 'application/json', ...headers }).end(text);
    };
    const body = await bodyOf(request);
    if (request.method === 'HEAD') {
      say(200, '');
      return;
    }
    const known = parcel ? request.headers.authorization === `Token ${key}` : request.headers['x-box-key'] === key;
    if (!known) {
      say(401, parcel ? JSON.stringify({ failure: { words: 'token not known' } }) : JSON.stringify({ errors: [{ text: 'wrong key' }] }));
      return;
    }
    const letter = parcel ? readParcel(body) : readPostbox(body, request.headers['content-type'] ?? '');
    const address = letter.to.toLowerCase();
    const fault = faults.get(address);
    faults.delete(address);
    switch (fault) {
      case 'busy':
        say(429, parcel ? '{"failure":{"words":"slow down"}}' : '{"errors":[{"text":"slow down"}]}', { 'Retry-After': '1' });
        return;
      case 'ill':
        say(503, 'out of order');
        return;
      case 'moved':
        say(302, '', { Location: 'http://elsewhere.example/' });
        return;
      case 'garbled':
        say(200, '{"letter":');
        return;
      case 'no-id':
        say(200, '{}');
        return;
      case 'hang-up':
        request.socket.destroy();
        return;
      case 'silent':
        return;
      case undefined:
        break;
    }
    const tried = (tries.get(address) ?? 0) + 1;
    tries.set(address, tried);
    const outcome: ScriptedOutcome = script[address] ?? 'accept';
    if (outcome === 'refuse') {
      say(parcel ? 422 : 400, SENTENCES[dialect](letter.to));
      return;
    }
    if (outcome === 'defer-twice' && tried <= 2) {
      say(429, parcel ? '{"failure":{"words":"try again later"}}' : '{"errors":[{"text":"try again later"}]}', { 'Retry-After': '0' });
      return;
    }
    const id = `${dialect}-${taken.length + 1}`;
    taken.push({ ...letter, id });
    report(id, letter.to, outcome);
    if (parcel) say(201, JSON.stringify({ letter: { id, accepted: true } }));
    else say(200, JSON.stringify({ ok: 1 }), { 'X-Receipt': id });
  }

  const server = createServer((request, response) => {
    answer(request, response).catch((error: unknown) => {
      response.writeHead(400).end(String(error));
    });
  });
  await new Promise<void>((resolve) => {
    server.listen(options.port, options.host, resolve);
  });
  const address = server.address();
  return {
    port: typeof address === 'object' && address !== null ? address.port : options.port,
    taken,
    close: () =>
      new Promise((resolve) => {
        for (const timer of timers) clearTimeout(timer);
        server.close(() => {
          resolve();
        });
        server.closeAllConnections();
      }),
  };
}
