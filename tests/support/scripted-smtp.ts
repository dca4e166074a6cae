import { createServer, type Server, type Socket } from 'node:net';
import type { AddressInfo } from 'node:net';

/** What a scripted server does at a command, or at the end of an email: a reply; "close" ends the connection, "hang" answers nothing. */
export type Move = string;

export interface SmtpScript {
  /** A free one when left out. */
  readonly port?: number;
  /** Keywords of EHLO. */
  readonly extensions?: readonly string[];
  /** By the line of a command, or "." for the whole of an email; the usual reply when undefined. */
  readonly at?: (line: string, email: ScriptedEmail) => Move | undefined;
}

export interface ScriptedEmail {
  from: string;
  to: string;
  /** With its dots as they were sent. */
  text: string;
}

export interface ScriptedSmtp {
  readonly port: number;
  /** Emails whose last byte has arrived, whatever was answered. */
  readonly received: readonly ScriptedEmail[];
  /** How many connections hang at this moment. */
  readonly hanging: () => number;
  /** Answers all that hang. */
  readonly goOn: (reply: string) => void;
  readonly close: () => Promise<void>;
}

const USUAL: Readonly<Record<string, string>> = {
  MAIL: '250 2.1.0 OK',
  RCPT: '250 2.1.5 OK',
  DATA: '354 go',
  RSET: '250 OK',
  QUIT: '221 bye',
};

/** A mail server that does what a test says, reply by reply. One connection is one conversation; DATA and BDAT are understood. */
export async function scriptedSmtp({
  extensions = ['SIZE', 'DSN', 'PIPELINING', '8BITMIME'],
  at,
  port = 0,
}: SmtpScript): Promise<ScriptedSmtp> {
  const received: ScriptedEmail[] = [];
  /** What goes on with a connection once it is answered. */
  const hanging = new Map<Socket, () => void>();
  const sockets = new Set<Socket>();

  function converse(socket: Socket): void {
    let rest = Buffer.alloc(0);
    let email: ScriptedEmail = { from: '', to: '', text: '' };
    let content: 'lines' | number | undefined;
    const move = (line: string, usual: string): void => {
      const next = at?.(line, email) ?? usual;
      if (next === 'hang') hanging.set(socket, read);
      else if (next === 'close') socket.destroy();
      else socket.write(`${next}\r\n`);
    };
    const ended = (): void => {
      received.push(email);
      move('.', '250 2.0.0 accepted');
      email = { from: '', to: '', text: '' };
      content = undefined;
    };
    const command = (line: string): void => {
      const verb = line.slice(0, 4).toUpperCase();
      if (verb === 'EHLO') move(line, ['250-host', ...extensions.map((name) => `250-${name}`), '250 HELP'].join('\r\n'));
      else if (verb === 'BDAT') content = Number(/^BDAT (\d+)/i.exec(line)?.[1]);
      else {
        if (verb === 'MAIL') email.from = /<(.*?)>/.exec(line)?.[1] ?? '';
        if (verb === 'RCPT') email.to = /<(.*?)>/.exec(line)?.[1] ?? '';
        const isData = verb === 'DATA';
        move(line, USUAL[verb] ?? '500 5.5.2 unknown');
        if (isData && (at?.(line, email) ?? '354').startsWith('354')) content = 'lines';
      }
    };
    const read = (): void => {
      for (;;) {
        // What was sent ahead waits behind what is not answered.
        if (socket.destroyed || hanging.has(socket)) return;
        if (typeof content === 'number') {
          if (rest.length < content) return;
          email.text = rest.subarray(0, content).toString();
          rest = rest.subarray(content);
          ended();
          continue;
        }
        const end = rest.indexOf('\r\n');
        if (end === -1) return;
        const line = rest.subarray(0, end).toString();
        rest = rest.subarray(end + 2);
        if (content === undefined) command(line);
        else if (line === '.') ended();
        else email.text += `${line}\r\n`;
      }
    };
    socket.on('data', (bytes) => {
      rest = Buffer.concat([rest, bytes]);
      read();
    });
    socket.on('error', () => undefined);
    socket.on('close', () => {
      sockets.delete(socket);
      hanging.delete(socket);
    });
    sockets.add(socket);
    move('', '220 host ESMTP');
  }

  const server: Server = createServer(converse);
  await new Promise<void>((done) => server.listen(port, '127.0.0.1', done));
  return {
    port: (server.address() as AddressInfo).port,
    received,
    hanging: () => hanging.size,
    goOn: (reply) => {
      const all = [...hanging];
      hanging.clear();
      for (const [socket, read] of all) {
        socket.write(`${reply}\r\n`);
        read();
      }
    },
    close: () => {
      for (const socket of sockets) socket.destroy();
      return new Promise((done) => server.close(() => done()));
    },
  };
}
