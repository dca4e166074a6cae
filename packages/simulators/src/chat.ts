import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';

/** A message in the chat. */
export interface ChatMessage {
  readonly room: string;
  readonly text: string;
  readonly at: number;
}

export interface Chat {
  readonly port: number;
  readonly messages: readonly ChatMessage[];
  readonly close: () => Promise<void>;
}

const MOST = 200;
const MOST_BYTES = 64 * 1024;

function escape(text: string): string {
  return text.replace(/[&<>"]/g, (sign) => `&#${sign.charCodeAt(0)};`);
}

function page(messages: readonly ChatMessage[]): string {
  const rows = messages.map(
    (message) =>
      `<li><time>${new Date(message.at).toISOString().slice(11, 19)}</time> <b>#${escape(message.room)}</b><p>${escape(message.text)}</p></li>`,
  );
  return `<!doctype html><html lang="en"><meta charset="utf-8"><meta http-equiv="refresh" content="3"><title>Stand-in for a chat</title>
<style>body{font:17px/1.5 sans-serif;max-width:44rem;margin:2rem auto;padding:0 1rem;color:#1c2733}ol{list-style:none;padding:0}li{border-top:1px solid #ddd;padding:.6rem 0}time{color:#666;font-variant-numeric:tabular-nums}p{margin:.1rem 0}</style>
<h1>Stand-in for a chat</h1><ol>${rows.join('') || '<li>Nothing was said yet.</li>'}</ol></html>`;
}

/** A simulated chat service: takes {"text": …} at /hooks/ROOM and shows it on a page. */
export async function startChat(host: string, port: number): Promise<Chat> {
  const messages: ChatMessage[] = [];
  const server = createServer((request, response) => {
    const room = /^\/hooks\/([\w-]{1,40})$/.exec(request.url ?? '')?.[1];
    if (request.method !== 'POST' || room === undefined) {
      response.writeHead(request.method === 'GET' ? 200 : 404, { 'content-type': 'text/html; charset=utf-8' }).end(page(messages));
      return;
    }
    let body = '';
    request.on('data', (chunk: Buffer) => {
      body += chunk.toString();
      if (body.length > MOST_BYTES) request.destroy();
    });
    request.on('end', () => {
      let text: unknown;
      try {
        text = (JSON.parse(body) as { text?: unknown }).text;
      } catch {
        text = undefined;
      }
      if (typeof text !== 'string') {
        response.writeHead(400).end('A message is {"text": "…"}.');
        return;
      }
      messages.unshift({ room, text, at: Date.now() });
      messages.length = Math.min(messages.length, MOST);
      response.writeHead(200).end('ok');
    });
  });
  await new Promise<void>((done, fail) => {
    server.once('error', fail);
    server.listen(port, host, done);
  });
  return {
    port: (server.address() as AddressInfo).port,
    messages,
    close: () =>
      new Promise((done) => {
        server.closeAllConnections();
        server.close(() => {
          done();
        });
      }),
  };
}
