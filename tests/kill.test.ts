import { spawn, type ChildProcess } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { expect, test } from '@jest/globals';
import { createClient, UnreachableError, type MessageSummary } from '@verbalis/client';
import { startSmtpProvider } from '@verbalis/simulators';
import { freePort } from './support/postfix.js';
import { booking, DEMO_FOLDER, OPERATOR, ROOT, temporaryFolder, until } from './support/service.js';

const CLI = join(ROOT, 'packages/cli/bin/verbalis.js');
const [MESSAGES, KILLS] = process.env['CI'] === undefined ? [60, 4] : [160, 20];

// The plug is pulled (SIGKILL) while messages are being offered and handed over; the service is started again each time.
test('killed in the middle: every accepted message still ends in its state, duplicates only where an attempt was uncertain', async () => {
  const { path, remove } = temporaryFolder();
  const port = await freePort();
  const returnsPort = await freePort();
  const tally = join(path, 'tally.jsonl');
  writeFileSync(tally, '');
  const outcomes = ['accept', 'refuse', 'defer-twice', 'report-failed', 'report-delivered'] as const;
  const addressOf = (n: number): string => `guest${n}-${outcomes[n % outcomes.length]!}@post.example`;
  const script = Object.fromEntries(Array.from({ length: MESSAGES }, (_, n) => [addressOf(n), outcomes[n % outcomes.length]!]));
  const simulator = await startSmtpProvider({
    name: 'relay',
    host: '127.0.0.1',
    port: 0,
    script,
    returnsTo: { host: '127.0.0.1', port: returnsPort },
    reportAfterMs: 50,
    tally,
  });
  const config = join(path, 'verbalis.yaml');
  writeFileSync(
    config,
    `outside: { allow: [127.0.0.1] }\nlisten: { port: ${port} }\nreturns: { port: ${returnsPort}, domain: returns.saltmarsh-ferries.example }\nlog: { level: warn }
dispatch: { concurrency: 4, retryByCause: { rate-or-greylist: { firstSeconds: 0.2, growth: 1, mostSeconds: 1 }, unreachable: { firstSeconds: 0.2, growth: 1, mostSeconds: 1 } } }
providers: { relay: { kind: smtp, host: 127.0.0.1, port: ${simulator.port} } }
spaces: { harbour: { mode: deliver, mailFolder: ${DEMO_FOLDER}, route: [relay] } }\n`,
  );
  // A consumer of all events: whatever is known must have come here, at least once.
  const told = new Set<string>();
  let notifications = 0;
  const consumer = createServer((request, response) => {
    let body = '';
    request.on('data', (chunk: Buffer) => (body += chunk.toString()));
    request.on('end', () => {
      told.add((JSON.parse(body) as { id: string }).id);
      notifications += 1;
      response.end();
    });
  });
  await new Promise<void>((done) => consumer.listen(0, '127.0.0.1', done));
  let child: ChildProcess | undefined;
  const serve = async (): Promise<void> => {
    const started = spawn(process.execPath, [CLI, 'serve', '--json', '--config', config], {
      cwd: path,
      env: { PATH: process.env['PATH'], VERBALIS_OPERATOR_SECRET: OPERATOR },
      stdio: ['ignore', 'pipe', 'ignore'],
    });
    child = started;
    await new Promise((ready) => createInterface({ input: started.stdout }).once('line', ready));
  };
  const client = createClient({ url: `http://127.0.0.1:${port}`, key: OPERATOR, space: 'harbour', tries: 1 });
  const accepted = new Map<number, MessageSummary>();
  const offer = async (n: number): Promise<void> => {
    for (;;) {
      try {
        accepted.set(n, await client.messages.send(booking(addressOf(n), `SM-${4000 + n}`), { idempotencyKey: `kill-${n}` }));
        return;
      } catch (error) {
        if (!(error instanceof UnreachableError)) throw error;
        await new Promise((done) => setTimeout(done, 30));
      }
    }
  };
  try {
    await serve();
    const { port: at } = consumer.address() as AddressInfo;
    await client.subscriptions.add({ url: `http://127.0.0.1:${at}/`, handshake: false });
    let offered = 0;
    const offers = (async () => {
      for (; offered < MESSAGES; offered += 1) await offer(offered);
    })();
    for (let kill = 1; kill <= KILLS; kill += 1) {
      await until(() => (offered >= (kill * MESSAGES) / (KILLS + 1) ? true : undefined));
      child?.kill('SIGKILL');
      await serve();
    }
    await offers;
    const wanted = {
      accept: 'accepted',
      refuse: 'failed',
      'defer-twice': 'accepted',
      'report-failed': 'failed',
      'report-delivered': 'delivered',
    };
    for (const [n, { id }] of accepted) {
      await until(async () => {
        const message = await client.messages.get(id).catch(() => undefined);
        return message?.deliveries[0]?.state === wanted[outcomes[n % outcomes.length]!] && message.deliveries[0].nextAttemptAt === undefined
          ? true
          : undefined;
      });
    }
    expect(accepted.size).toBe(MESSAGES);
    const lines = readFileSync(tally, 'utf8')
      .trim()
      .split('\n')
      .map((line) => (JSON.parse(line) as { to: string }).to);
    let uncertain = 0;
    for (const [n, { id }] of accepted) {
      const [delivery] = (await client.messages.get(id)).deliveries;
      const doubtful = delivery!.attempts.filter((attempt) => attempt.outcome === 'uncertain').length;
      const taken = lines.filter((to) => to === addressOf(n)).length;
      uncertain += doubtful;
      expect(taken).toBeLessThanOrEqual(1 + doubtful);
      expect(taken).toBeGreaterThanOrEqual(outcomes[n % outcomes.length] === 'refuse' ? 0 : 1);
    }
    const known: string[] = [];
    for (let cursor: string | undefined, more = true; more;) {
      const page = await client.events.list({ limit: 200, cursor });
      known.push(...page.events.map((event) => event.id));
      cursor = page.nextCursor;
      more = cursor !== undefined;
    }
    expect(known.length).toBeGreaterThanOrEqual(MESSAGES);
    await until(() => (known.every((text) => told.has(text)) ? true : undefined));
    process.stderr.write(`kill test: ${known.length} events, ${notifications} notifications\n`);
    process.stderr.write(
      `kill test: ${MESSAGES} messages, ${KILLS} kills, ${uncertain} uncertain attempts, ${lines.length} emails taken\n`,
    );
  } finally {
    child?.kill('SIGKILL');
    consumer.closeAllConnections();
    consumer.close();
    await simulator.close();
    remove();
  }
});
