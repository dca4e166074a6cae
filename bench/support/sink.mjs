// Postfix's smtp-sink on a free port: it takes every mail and keeps none.
import { spawn } from 'node:child_process';
import { createConnection } from 'node:net';
import { freePort } from './processes.mjs';

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
