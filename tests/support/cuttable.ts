import { connect, createServer, type Socket } from 'node:net';

/** A way to a server that can be cut: nothing gets through any more, and neither side is told. */
export interface Cuttable {
  /** host:port of its near end. */
  readonly address: string;
  readonly cut: () => void;
  readonly mend: () => void;
  readonly close: () => Promise<void>;
}

/** @param to host:port of the server */
export async function cuttable(to: string): Promise<Cuttable> {
  const [host = '', port = ''] = to.split(':');
  const sockets = new Set<Socket>();
  let isCut = false;
  const server = createServer((near) => {
    const far = connect(Number(port), host);
    for (const [from, other] of [
      [near, far],
      [far, near],
    ] as const) {
      sockets.add(from);
      from.on('data', (chunk) => other.write(chunk));
      from.on('end', () => {
        if (!isCut) other.end();
      });
      from.on('error', () => {
        other.destroy();
      });
      from.on('close', () => {
        sockets.delete(from);
        if (!isCut) other.destroy();
      });
      if (isCut) from.pause();
    }
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const address = server.address();
  return {
    address: `127.0.0.1:${typeof address === 'object' && address !== null ? address.port : 0}`,
    cut: () => {
      isCut = true;
      for (const socket of sockets) socket.pause();
    },
    mend: () => {
      isCut = false;
      for (const socket of sockets) socket.resume();
    },
    close: async () => {
      for (const socket of sockets) socket.destroy();
      await new Promise((done) => server.close(done));
    },
  };
}
