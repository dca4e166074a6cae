// Postfix's smtp-sink on a free port: it takes every mail and keeps none.
import { spawn } from 'node:child_process';
import { createConnection, createServer } from 'node:net';

async function freePort() {
  const server = createServer();
  await new Promise((done) => server.listen(0, '127.0.0.1', done));
  const { port } = server.address();
  await new Promise((done) => server.close(done));
  return port;
}

export async function startSink() {
  const port = await freePort();
  const child = spawn('/usr/sbin/smtp-sink', ['-u', 'postfix', `127.0.0.1:${port}`, '200'], { stdio: 'ignore' });
  for (let up = false; !up;) {
    up = await new Promise((done) =>
      createConnection(port, '127.0.0.1')
        .on('connect', function () {
          this.destroy();
          done(true);
        })
        .on('error', () => setTimeout(() => done(false), 50)),
    );
  }
  return { port, stop: () => child.kill() };
}
