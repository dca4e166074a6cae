// Measures one bulk send of many recipients: node scripts/many-recipients.mjs [N=100000]
// The app gives them page by page, the service is killed at 20, 50 and 80 %, and everything is counted: who got it, how often, who was refused,
// and how much memory the service had at most. Then another one is canceled on the way. The tree must be built.
import { spawn } from 'node:child_process';
import { mkdtempSync, cpSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer as createHttpServer } from 'node:http';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { createInterface } from 'node:readline';
import { createClient } from '@verbalis/client';

const root = resolve(import.meta.dirname, '..');
const N = Number(process.argv[2] ?? 100_000);
const OPERATOR = 'the-operator-of-the-measurement';
const PAGE = 1000;
const folder = mkdtempSync(join(tmpdir(), 'verbalis-many-'));
const listening = (server) => new Promise((done) => server.listen(0, '127.0.0.1', () => done(server.address().port)));
const pause = (ms) => new Promise((done) => setTimeout(done, ms));

// Accepts everything, and remembers for whom.
const taken = new Map();
const sink = createServer((socket) => {
  let [text, to, inData] = ['', '', false];
  socket.setEncoding('latin1').on('error', () => undefined);
  socket.write('220 sink\r\n');
  socket.on('data', (chunk) => {
    text += chunk;
    for (;;) {
      const end = text.indexOf(inData ? '\r\n.\r\n' : '\r\n');
      if (end === -1) {
        if (inData) text = text.slice(-4);
        return;
      }
      const line = text.slice(0, end);
      text = text.slice(end + (inData ? 5 : 2));
      if (inData) {
        inData = false;
        taken.set(to, (taken.get(to) ?? 0) + 1);
        socket.write('250 ok\r\n');
      } else if (/^EHLO/i.test(line)) socket.write('250-sink\r\n250-PIPELINING\r\n250 8BITMIME\r\n');
      else if (/^DATA/i.test(line)) {
        inData = true;
        socket.write('354 go\r\n');
      } else if (/^QUIT/i.test(line)) socket.end('221 bye\r\n');
      else {
        to = /^RCPT TO:<([^>]*)>/i.exec(line)?.[1] ?? to;
        socket.write('250 ok\r\n');
      }
    }
  });
});

/** One of a thousand is not a valid address. */
const recipient = (i) => ({ to: i % 1000 === 7 ? `nobody ${i}` : `guest${i}@post${i % 500}.example` });
const app = createHttpServer((request, response) => {
  let body = '';
  request.on('data', (chunk) => (body += chunk));
  request.on('end', () => {
    const from = Number(JSON.parse(body).cursor ?? 0);
    const rows = Array.from({ length: Math.min(PAGE, N - from) }, (_, i) => JSON.stringify(recipient(from + i)));
    const next = from + PAGE < N ? { 'verbalis-next': String(from + PAGE) } : {};
    response.writeHead(200, { 'content-type': 'application/x-ndjson', ...next }).end(rows.join('\n'));
  });
});

const mail = join(folder, 'mail');
cpSync(join(root, 'demo/mail'), mail, { recursive: true });
rmSync(join(mail, 'schedules'), { recursive: true, force: true });
const config = join(folder, 'verbalis.yaml');
writeFileSync(
  config,
  JSON.stringify({
    listen: { port: 0 },
    returns: { port: 0 },
    dns: { check: false },
    log: { level: 'error' },
    publicUrl: 'https://mail.saltmarsh-ferries.example',
    outside: { allow: ['127.0.0.1'] },
    providers: { relay: { kind: 'smtp', host: '127.0.0.1', port: await listening(sink), connections: 10 } },
    spaces: {
      dock: { mode: 'deliver', mailFolder: mail, route: ['relay'], senderDomains: ['saltmarsh-ferries.example'], runaway: false },
    },
  }),
);
const url = `http://127.0.0.1:${await listening(app)}/recipients`;
const data = JSON.parse(readFileSync(join(mail, 'templates/pier-bulletin/samples/typical.json'), 'utf8'));

async function start() {
  const child = spawn(process.execPath, [join(root, 'packages/cli/bin/verbalis.js'), 'serve', '--json', '--config', config], {
    env: { ...process.env, VERBALIS_OPERATOR_SECRET: OPERATOR },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  const line = await new Promise((done) => createInterface({ input: child.stdout }).once('line', done));
  return { child, client: createClient({ url: JSON.parse(line).result.url, key: OPERATOR, space: 'dock' }) };
}
const megabytes = (pid) => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0) / 1024;
const begin = (client) => client.bulkSends.start({ template: 'pier-bulletin', data, recipients: { url }, essential: false });

let service = await start();
await service.client.messages.send({ template: 'pier-bulletin', to: ['warm@post.example'], data });
await pause(3000);
const before = megabytes(service.child.pid);
let most = before;
const from = performance.now();
const { id } = await begin(service.client);
const kills = [0.2, 0.5, 0.8].map((part) => part * N);
let bulk;
do {
  await pause(1000);
  most = Math.max(most, megabytes(service.child.pid));
  bulk = await service.client.bulkSends.get(id);
  if (kills.length === 0 || bulk.read < kills[0]) continue;
  kills.shift();
  service.child.kill('SIGKILL');
  await new Promise((done) => service.child.once('close', done));
  service = await start();
} while (bulk.state === 'running' || bulk.deliveries.queued !== undefined || bulk.deliveries.delayed !== undefined);
const seconds = (performance.now() - from) / 1000;
taken.delete('warm@post.example');
const twice = [...taken].filter(([, n]) => n > 1).map(([address]) => address);
let uncertain = 0;
for (const address of twice) {
  const [message] = (await service.client.messages.list({ address })).messages;
  const { deliveries } = await service.client.messages.get(message.id);
  if (deliveries[0].attempts.some(({ outcome }) => outcome === 'uncertain')) uncertain += 1;
}
const round = Math.round;
process.stdout.write(
  `${JSON.stringify({ recipients: N, seconds: round(seconds), megabytes: { before: round(before), most: round(most) }, accepted: bulk.accepted, refused: bulk.refused, got: taken.size, twice: twice.length, uncertain })}\n`,
);

const canceled = await begin(service.client);
while ((await service.client.bulkSends.get(canceled.id)).read < Math.min(N / 2, 3000)) await pause(100);
const asked = performance.now();
await service.client.bulkSends.cancel(canceled.id);
const sent = [...taken.values()].reduce((sum, n) => sum + n, 0);
while ((await service.client.bulkSends.get(canceled.id)).deliveries.queued !== undefined) await pause(10);
const after = round(performance.now() - asked);
await pause(3000);
const late = [...taken.values()].reduce((sum, n) => sum + n, 0) - sent;
process.stdout.write(`${JSON.stringify({ canceledAfterMs: after, sentLater: late })}\n`);
service.child.kill('SIGKILL');
rmSync(folder, { recursive: true, force: true });
process.exit(twice.length === uncertain && taken.size === bulk.accepted ? 0 : 1);
