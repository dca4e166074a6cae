import { createServer, type IncomingMessage } from 'node:http';
import type { AddressInfo } from 'node:net';
import { isGenuine } from '@verbalis/core/events';

/** The bulk send that recipients are asked for, as the request says. */
export interface AskedRun {
  readonly id: string;
  readonly template: string;
  readonly schedule?: string;
  readonly plannedAt?: string;
}

export interface RecipientSourceOptions {
  readonly host: string;
  readonly port: number;
  /** What requests may be signed with; none while it is not known. */
  readonly secrets: () => readonly string[];
  /** All recipients of a run. */
  readonly recipients: (run: AskedRun) => readonly object[];
  readonly pageSize?: number;
  readonly now?: () => number;
}

export interface RecipientSource {
  readonly url: string;
  /** Every genuine request, in order. */
  readonly asked: readonly { readonly cursor: string | null; readonly run: AskedRun }[];
  readonly close: () => Promise<void>;
}

const PAGE = 500;

async function textOf(request: IncomingMessage): Promise<string> {
  let text = '';
  for await (const chunk of request) text += String(chunk);
  return text;
}

/** The part of an app that knows who wants what: it gives recipients page by page, to those whose requests are genuine. */
export async function startRecipientSource(options: RecipientSourceOptions): Promise<RecipientSource> {
  const { host, port, secrets, recipients, pageSize = PAGE, now = Date.now } = options;
  const asked: { cursor: string | null; run: AskedRun }[] = [];
  const answer = (headers: Readonly<Record<string, string | undefined>>, body: string) => {
    const known = secrets();
    if (known.length === 0) return { status: 503, text: 'The secret is not known yet.' };
    if (!known.some((secret) => isGenuine(secret, { headers, body, now: now() })))
      return { status: 401, text: 'This request is not signed.' };
    const { cursor, run } = JSON.parse(body) as { cursor: string | null; run: AskedRun };
    asked.push({ cursor, run });
    const all = recipients(run);
    const from = Number(cursor ?? 0);
    const rows = all.slice(from, from + pageSize);
    const next = from + pageSize < all.length ? String(from + pageSize) : undefined;
    return { status: 200, text: rows.map((row) => `${JSON.stringify(row)}\n`).join(''), next };
  };
  const server = createServer((request, response) => {
    void textOf(request).then((body) => {
      const { status, text, next } = answer(request.headers as Record<string, string>, body);
      response.writeHead(status, {
        'content-type': status === 200 ? 'application/x-ndjson' : 'text/plain',
        ...(next === undefined ? {} : { 'verbalis-next': next }),
      });
      response.end(text);
    });
  });
  await new Promise<void>((done, failed) => {
    server.once('error', failed);
    server.listen(port, host, done);
  });
  return {
    url: `http://${host}:${(server.address() as AddressInfo).port}/recipients`,
    asked,
    close: () =>
      new Promise((done) => {
        server.closeAllConnections();
        server.close(() => {
          done();
        });
      }),
  };
}
