// Links that are followed, at the listener of their own: the token read, the hit in the journal, the answer; judged and counted in the database meanwhile. Against a bare
// Express redirect. Then how long the slowest of a hundred wait at 500 a second while emails are accepted and sent.
import { execFile } from 'node:child_process';
import { createHmac } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import autocannon from 'autocannon';
import { folder, root, started } from './support/processes.mjs';
import { startSink } from './support/sink.mjs';

const OPERATOR = 'operator-of-the-benchmark';
const BROWSER = 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0';
/** Emails that links are followed of: no email has so many hits that they are not noted. */
const EMAILS = 5000;
/** How often links are followed where the slowest are looked for, and for how long. */
const [RATE, SECONDS] = [500, 5];

export default async function bench() {
  const { createClient } = await import(join(root, 'packages/client/dist/index.js'));
  const { writeHitToken } = await import(join(root, 'packages/core/dist/engagement/index.js'));
  const sink = await startSink();
  const path = folder();
  const config = join(path, 'verbalis.yaml');
  writeFileSync(
    config,
    `listen: { port: 0 }
links: { port: 0 }
returns: { port: 0 }
log: { level: error }
publicUrl: https://mail.saltmarsh-ferries.example
providers: { relay: { kind: smtp, host: 127.0.0.1, port: ${sink.port}, connections: 5 } }
spaces: { dock: { mode: deliver, mailFolder: ${join(root, 'demo/mail')}, route: [relay], senderDomains: [saltmarsh-ferries.example], runaway: false } }
`,
  );
  const service = await started(join(root, 'packages/cli/bin/verbalis.js'), ['serve', '--json', '--config', config], {
    VERBALIS_OPERATOR_SECRET: OPERATOR,
  });
  const bare = await started(join(root, 'bench/support/bare-redirect.mjs'), []);
  const { master } = JSON.parse(readFileSync(join(path, 'verbalis.secrets.json'), 'utf8'));
  const key = createHmac('sha256', Buffer.from(master, 'base64url')).update('verbalis\0engagement').digest();
  const paths = Array.from({ length: EMAILS }, (_, i) => {
    const of = {
      mode: 'counts',
      group: String(i),
      space: 'dock',
      template: 'pier-bulletin',
      topic: 'pier-news',
      sentMinute: Math.floor(Date.now() / 60_000) - 600,
    };
    const link = { index: 1, links: 3, label: 'Read on', block: '', url: 'https://saltmarsh-ferries.example/news/ramp' };
    return `/go/${writeHitToken(key, { of, ...link })}`;
  });
  const follow = (url) =>
    autocannon({ url, connections: 20, duration: 5, headers: { 'user-agent': BROWSER }, requests: paths.map((at) => ({ path: at })) });
  const rate = async (url) => {
    const { requests, non2xx, errors } = await follow(url);
    if (errors > 0 || non2xx !== requests.total) throw new Error(`${errors} errors, ${requests.total - non2xx} answers are no redirect`);
    return requests.average;
  };

  const client = createClient({ url: service.said.url, key: OPERATOR, space: 'dock' });
  const data = JSON.parse(readFileSync(join(root, 'demo/mail/templates/refund-receipt/samples/typical.json'), 'utf8'));
  /** Has emails accepted and sent until `isOver`. @returns how many */
  const sendMeanwhile = async (isOver) => {
    let sent = 0;
    while (!isOver()) {
      await client.messages.send({ template: 'refund-receipt', to: [`guest${sent}@post.example`], data });
      sent += 1;
    }
    return sent;
  };
  const pathsFile = join(path, 'paths.json');
  writeFileSync(pathsFile, JSON.stringify(paths));
  const slowest = async (url) => {
    let isOver = false;
    const sending = sendMeanwhile(() => isOver);
    const child = await promisify(execFile)(process.execPath, [
      join(root, 'bench/support/follow.mjs'),
      url,
      pathsFile,
      String(RATE),
      String(SECONDS),
    ]);
    isOver = true;
    const { followed, median, p99 } = JSON.parse(child.stdout);
    console.error(`${followed} links followed (half of them within ${median.toFixed(1)} ms) while ${await sending} emails were sent`);
    return p99;
  };
  const links = `http://127.0.0.1:${service.said.linksPort}`;
  return [
    { name: 'engagement: links followed', unit: 'requests/s', ours: () => rate(links), baseline: () => rate(bare.said.url) },
    {
      name: 'engagement: links followed at the main listener',
      unit: 'requests/s',
      ours: () => rate(service.said.url),
      baseline: () => rate(bare.said.url),
    },
    {
      name: 'engagement: 99th percentile at 500 a second while the queue writes',
      unit: 'ms',
      ours: () => slowest(links),
      baseline: () => slowest(bare.said.url),
      close: () => {
        service.stop();
        bare.stop();
        sink.stop();
      },
    },
  ];
}
