import { createHmac, createPrivateKey, sign } from 'node:crypto';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import { DIALECTS, type DialectName, type Letter } from './dialects/index.js';
import type { DialectAnswer } from './dialects/dialect.js';
import type { ScriptedOutcome, Script } from './script.js';

export interface HttpSimulatorOptions {
  readonly dialect: DialectName;
  readonly host: string;
  readonly port: number;
  readonly script: Script;
  /** What callers must know it by. */
  readonly key: string;
  /** Where it reports the outcome of letters, and with what it signs: a secret, or an Ed25519 key in PEM for postbox. */
  readonly callsTo?: { readonly url: string; readonly secret: string; readonly afterMs: number } | undefined;
  /** What goes wrong with the first request for an address; for tests. */
  readonly faults?: Map<string, Fault>;
}

export type Fault = 'busy' | 'ill' | 'moved' | 'garbled' | 'no-id' | 'silent' | 'hang-up';

/** A letter that was accepted. */
export interface TakenLetter extends Letter {
  readonly id: string;
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

/** What a provider of a dialect calls with, for events of its own words. */
export function signedCall(
  dialect: DialectName,
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
  const { script, key } = options;
  const dialect = DIALECTS[options.dialect];
  const taken: TakenLetter[] = [];
  const tries = new Map<string, number>();
  const faults = options.faults ?? new Map<string, Fault>();
  const timers = new Set<NodeJS.Timeout>();
  /** Calls about a letter some time after; again until someone takes it. */
  const report = (id: string, address: string, outcome: ScriptedOutcome): void => {
    const { callsTo } = options;
    if (callsTo === undefined || !['report-failed', 'report-delivered', 'complain'].includes(outcome)) return;
    const nr = `${id}-news`;
    let left = 20;
    const call = async (): Promise<void> => {
      const { url, body, headers } = dialect.call([{ nr, id, address, outcome }], { ...callsTo, now: Date.now() });
      const taken = await fetch(url, { method: 'POST', body, headers }).then(
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
    const say = (status: number, text: string, headers: Readonly<Record<string, string>> = {}): void => {
      response.writeHead(status, { 'Content-Type': 'application/json', ...headers }).end(text);
    };
    const body = await bodyOf(request);
    const asked = { method: request.method ?? 'POST', url: request.url ?? '/', headers: request.headers, body };
    const reply = ({ status, body: text, headers }: DialectAnswer): void => {
      say(status, text, headers);
    };
    if (!dialect.isKnown(asked, key)) {
      reply(dialect.unknownCaller);
      return;
    }
    if (request.method === 'GET' || request.method === 'HEAD') {
      say(200, request.method === 'HEAD' ? '' : '{"known":true}');
      return;
    }
    const letter = dialect.read(asked);
    const address = letter.to.toLowerCase();
    const fault = faults.get(address);
    faults.delete(address);
    switch (fault) {
      case 'busy':
        reply({ ...dialect.later, headers: { ...dialect.later.headers, 'Retry-After': '1' } });
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
        reply(dialect.withoutId);
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
      reply(dialect.refused(letter.to));
      return;
    }
    if (outcome === 'defer-twice' && tried <= 2) {
      reply(dialect.later);
      return;
    }
    const id = `${options.dialect}-${taken.length + 1}`;
    taken.push({ ...letter, id });
    report(id, letter.to, outcome);
    reply(dialect.accepted(id, letter.to));
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
