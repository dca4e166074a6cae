// A listener whose memory is measured while a second process writes to it: node --expose-gc smtp-memory.mjs WHAT FOLDER
import { fork } from 'node:child_process';
import { connect } from 'node:net';
import { fileURLToPath } from 'node:url';

const [, , what, folder, port] = process.argv;
const MB = 1024 * 1024;
// See scale.ts; 2 GB go through in a thorough run.
const COUNT = process.env.VERBALIS_TESTS !== 'thorough' ? 40 : 100;
const HEAD = 'EHLO app\r\nMAIL FROM:<a@b.example>\r\nRCPT TO:<c@d.example>\r\nDATA\r\n';
const CONTENT = {
  'line-ends': '\r\n',
  'bare-line-ends': '\n',
  'one-line': 'x',
  dots: '\r\n..',
};

/** Connects, says what comes before the content, and waits for leave to send it. */
function open() {
  return new Promise((resolve, reject) => {
    const socket = connect(port, '127.0.0.1');
    let said = '';
    socket.on('error', reject);
    socket.on('data', (bytes) => {
      said += bytes;
      if (/^354 /m.test(said)) resolve({ socket, said: () => said });
    });
    socket.write(HEAD);
  });
}
const write = (socket, bytes) =>
  new Promise((done) => {
    const end = () => {
      socket.off('drain', end).off('close', end);
      done();
    };
    socket.on('drain', end).on('close', end);
    if (socket.write(bytes)) end();
  });

async function client() {
  if (what !== 'many') {
    const { socket, said } = await open();
    socket.on('error', () => undefined);
    const chunk = Buffer.from(CONTENT[what].repeat(Math.floor((64 * 1024) / CONTENT[what].length)));
    for (let sent = 0; sent < 8 * MB && !socket.destroyed; sent += chunk.length) {
      await write(socket, chunk);
    }
    if (!socket.destroyed) socket.write('\r\n.\r\n');
    while (!socket.destroyed && !/^(?:250 2\.0\.0 kept|550)/m.test(said())) await new Promise((done) => setTimeout(done, 5));
    socket.destroy();
    process.send('end');
    return;
  }
  const sockets = [];
  for (let i = 0; i < COUNT; i += 1) sockets.push(await open());
  process.send('opened');
  const line = Buffer.from(`${'x'.repeat(78)}\r\n`);
  const chunk = Buffer.concat(Array.from({ length: 3277 }, () => line)).subarray(0, 256 * 1024);
  // In turn: each has sent as much as the others, and none has ended.
  for (let sent = 0; sent < 20 * MB; sent += chunk.length) for (const { socket } of sockets) await write(socket, chunk);
  process.send('sent');
  process.once('message', async () => {
    for (const { socket } of sockets) await write(socket, '\r\n.\r\n');
    while (!sockets.every(({ said }) => /^250 2\.0\.0 kept/m.test(said()))) await new Promise((done) => setTimeout(done, 20));
    process.send('end');
  });
}

async function server() {
  const { listenSmtp } = await import('@verbalis/service/smtp');
  let received = 0;
  const listener = await listenSmtp(
    {
      host: '127.0.0.1',
      doors: [{ port: 0 }],
      server: { name: 'us', maxBytes: 21 * MB, maxRecipients: 10 },
      spoolFolder: folder,
    },
    {
      recipient: () => ({ code: 250, enhanced: '2.1.5', text: 'ok' }),
      mail: ({ bytes }) => {
        // The line end before the dot that ends it is one more.
        received += bytes.length - 2;
        return { code: 250, enhanced: '2.0.0', text: 'kept' };
      },
    },
  );
  // Twice: buffers that the first look found to be free are counted until the second.
  const used = () => {
    globalThis.gc();
    globalThis.gc();
    const { heapUsed, external } = process.memoryUsage();
    return heapUsed + external;
  };
  used();
  const before = used();
  let [most, perConnection] = [0, 0];
  const timer = setInterval(() => (most = Math.max(most, used() - before)), 100);
  const child = fork(fileURLToPath(import.meta.url), [what, folder, String(listener.ports[0])], { execArgv: [] });
  await new Promise((done) => {
    child.on('message', (word) => {
      if (word === 'sent') {
        clearInterval(timer);
        perConnection = Math.round(Math.max(most, used() - before) / COUNT);
        child.send('end');
      } else if (word === 'end') done();
    });
  });
  clearInterval(timer);
  child.kill();
  await listener.close();
  process.stdout.write(`${JSON.stringify({ most, perConnection, received, connections: COUNT })}\n`);
}

await (port === undefined ? server() : client());
