// Links that are followed: the token read, the hit in the journal, the answer; judged and counted in the database meanwhile. Against a bare
// Express redirect. Then how long the slowest of a hundred wait at 500 a second while emails are accepted and sent.
import { createHmac } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import autocannon from 'autocannon';
import { folder, root, started } from './support/processes.mjs';
import { startSink } from './support/sink.mjs';

const OPERATOR = 'operator-of-the-benchmark';
const BROWSER = 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0';
/** Emails that links are followed of: no email has so many hits that they are not noted. */
const EMAILS = 5000;

export default async function bench() {
  const { createClient } = await import(join(root, 'packages/client/dist/index.js'));
  const { writeHitToken } = await import(join(root, 'packages/core/dist/engagement/index.js'));
  const sink = await startSink();
  const path = folder();
  const config = join(path, 'verbalis.yaml');
  writeFileSync(
    config,
    `listen: { port: 0 }
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
  const follow = (url, more) =>
    autocannon({ url, connections: 20, duration: 5, headers: { 'user-agent': BROWSER }, requests: paths.map((at) => ({ path: at })), ...more });
  const rate = async (url) => {
    const { requests, non2xx, errors } = await follow(url);
    if (errors > 0 || non2xx !== requests.total) throw new Error(`${errors} errors, ${requests.total - non2xx} answers are no redirect`);
    return requests.average;
  };

  const client = createClient({ url: service.said.url, key: OPERATOR, space: 'dock' });
  const data = JSON.parse(readFileSync(join(root, 'demo/mail/templates/refund-receipt/samples/typical.json'), 'utf8'));
  /** Accepts and sends emails until it is told to end. @returns how many */
  const sendMeanwhile = async (isOver) => {
    let sent = 0;
    while (!isOver()) {
      await client.messages.sendBatch({
        mode: 'all',
        messages: Array.from({ length: 20 }, (_, i) => ({ template: 'refund-receipt', to: [`guest${sent + i}@post.example`], data })),
      });
      sent += 20;
      await new Promise((done) => setTimeout(done, 100));
    }
    return sent;
  };
  const slowest = async (url) => {
    let isOver = false;
    const sending = sendMeanwhile(() => isOver);
    const { latency } = await follow(url, { overallRate: 500 });
    isOver = true;
    console.error(`while ${await sending} emails were sent`);
    return latency.p99;
  };
  return [
    { name: 'engagement: links followed', unit: 'requests/s', ours: () => rate(service.said.url), baseline: () => rate(bare.said.url) },
    {
      name: 'engagement: 99th percentile at 500 a second while the queue writes',
      unit: 'ms',
      ours: () => slowest(service.said.url),
      baseline: () => slowest(bare.said.url),
      close: () => {
        service.stop();
        bare.stop();
        sink.stop();
      },
    },
  ];
}
