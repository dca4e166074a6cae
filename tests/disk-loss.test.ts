import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, expect, test } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { checkIntegrity, restoreDatabase } from '@verbalis/service';
import { readConfig } from '@verbalis/service/settings';
import { startSmtpProvider } from '@verbalis/simulators';
import { stringify } from 'yaml';
import { LIMITS } from './support/limits.js';
import { booking, OPERATOR, ROOT, smallMailFolder, temporaryFolder, until } from './support/service.js';
import { scaled } from './support/scale.js';

// The disk of the database is lost while emails are accepted and sent, again and again. What is restored has every message that was acknowledged
// before the copies were seen to have everything, and nothing is sent a second time unless a person lets it go.

const CLI = join(ROOT, 'packages/cli/bin/verbalis.js');
const [LOSSES, MESSAGES] = [scaled(1, 20), 120];
const all = temporaryFolder();
const [disk, copies] = [join(all.path, 'disk'), join(all.path, 'copies')];
const file = join(all.path, 'verbalis.yaml');
const opened: (() => unknown)[] = [() => all.remove()];
afterAll(async () => {
  for (const close of opened.reverse()) await close();
});

interface Child {
  readonly process: ChildProcess;
  readonly operator: Client;
}

/** Starts a service as a process of its own. */
async function serve(): Promise<Child> {
  const child = spawn(process.execPath, [CLI, 'serve', '--json', '--config', file], {
    env: { ...process.env, VERBALIS_OPERATOR_SECRET: OPERATOR },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  opened.push(() => child.kill('SIGKILL'));
  let text = '';
  child.stdout.on('data', (chunk: Buffer) => (text += chunk.toString()));
  const url = await until(() => (text.includes('}') ? (JSON.parse(text) as { result: { url: string } }).result.url : undefined));
  return { process: child, operator: createClient({ url, key: OPERATOR, space: 'harbour', tries: 1 }) };
}

async function end(child: Child, signal: NodeJS.Signals): Promise<void> {
  const ended = once(child.process, 'exit');
  child.process.kill(signal);
  await ended;
}

test(
  'the disk is lost under load: what was copied is there, and nothing is sent twice unless released',
  async () => {
    const simulator = await startSmtpProvider({
      name: 'relay',
      host: '127.0.0.1',
      port: 0,
      script: {},
      // A queue builds up, so that something waits when the disk is lost.
      behaviour: () => ({ answer: { code: 250, enhanced: '2.1.5', text: 'OK' }, afterMs: 12 }),
      returnsTo: { host: '127.0.0.1', port: 1 },
      reportAfterMs: 50,
    });
    opened.push(() => simulator.close());
    const count = (address: string): number => simulator.seen.get(address)?.taken ?? 0;
    mkdirSync(disk);
    writeFileSync(
      file,
      stringify({
        listen: { port: 0 },
        returns: { port: 0, domain: 'returns.saltmarsh-ferries.example' },
        log: { level: 'error' },
        databaseFile: join(disk, 'verbalis.sqlite'),
        secretsFile: join(all.path, 'secrets.json'),
        copies: { folder: copies },
        providers: { relay: { kind: 'smtp', host: '127.0.0.1', port: simulator.port, connections: 2 } },
        spaces: {
          harbour: {
            mode: 'deliver',
            mailFolder: smallMailFolder(all.path),
            route: ['relay'],
            senderDomains: ['saltmarsh-ferries.example'],
          },
        },
      }),
    );
    const config = readConfig(file, {});
    let child = await serve();
    /** Ids of messages and their addresses, with when they were acknowledged. */
    const acknowledged = new Map<string, { readonly address: string; readonly at: number }>();
    const restored = new Set<string>();
    const wasHeld = new Set<string>();
    let [n, most, held] = [0, 0, 0];
    for (let loss = 1; loss <= LOSSES; loss += 1) {
      const { operator } = child;
      await until(async () => ((await operator.copies.get()).state === 'copying' ? true : undefined));
      const from = acknowledged.size;
      /** What the copies surely have: acknowledged before a question that was answered with "nothing is behind". */
      let copied = new Set<string>();
      const senders = Array.from({ length: 6 }, async () => {
        while (acknowledged.size < from + MESSAGES) {
          const address = `guest${(n += 1)}@post.example`;
          const { id } = await operator.messages.send(booking(address));
          acknowledged.set(id, { address, at: Date.now() });
        }
      });
      const watcher = (async () => {
        while (acknowledged.size < from + MESSAGES) {
          const before = new Set(acknowledged.keys());
          if ((await operator.copies.get()).behind === 0) copied = before;
        }
      })();
      await Promise.all([...senders, watcher]);
      const lostAt = Date.now();
      await end(child, 'SIGKILL');
      rmSync(disk, { recursive: true });

      const before = simulator.seen.size;
      const result = await restoreDatabase({ config, source: { folder: copies }, operatorSecret: OPERATOR });
      held += Object.values(result.held).reduce((sum, some) => sum + some, 0);
      expect(checkIntegrity(result.file, Date.now()).filter(({ wrong }) => wrong > 0)).toEqual([]);
      child = await serve();
      const missing: string[] = [];
      for (const [id, { at }] of acknowledged) {
        if (restored.has(id)) continue;
        const found = await child.operator.messages.get(id).catch(() => undefined);
        if (found !== undefined) restored.add(id);
        else {
          missing.push(id);
          most = Math.max(most, lostAt - at);
        }
      }
      expect(missing.filter((id) => copied.has(id))).toEqual([]);
      for (const id of missing) acknowledged.delete(id);
      // Nothing goes by itself.
      await until(async () => {
        const { waiting, held: kept } = await child.operator.queue.get();
        return waiting === kept ? true : undefined;
      });
      expect(simulator.seen.size).toBe(before);
      for (const { address } of acknowledged.values()) expect(count(address)).toBeLessThanOrEqual(1);
      // What is not held was sent.
      for (const { messageId } of (await child.operator.holds.held({ limit: 200 })).deliveries) wasHeld.add(messageId);
      for (const [id, { address }] of acknowledged) if (!wasHeld.has(id) && restored.has(id)) expect(count(address)).toBe(1);
      await child.operator.queue.cancel({ all: true });
    }
    // In the end a person lets something go: it is sent, once more at most.
    await until(async () => ((await child.operator.copies.get()).state === 'copying' ? true : undefined));
    await child.operator.providers.pause('relay');
    const last = await child.operator.messages.send(booking('last@post.example'));
    await until(async () => ((await child.operator.copies.get()).behind === 0 ? true : undefined));
    await end(child, 'SIGKILL');
    rmSync(disk, { recursive: true });
    expect((await restoreDatabase({ config, source: { folder: copies } })).held).toEqual({ harbour: 1 });
    child = await serve();
    await child.operator.providers.resume('relay');
    await child.operator.holds.release({ all: true });
    await until(async () => ((await child.operator.messages.get(last.id)).deliveries[0]?.state === 'accepted' ? true : undefined));
    expect(count('last@post.example')).toBe(1);
    await end(child, 'SIGTERM');
    process.stderr.write(
      `disk losses: ${LOSSES}, ${restored.size} messages restored, ${held} held; the oldest that was lost had been acknowledged ${most} ms before\n`,
    );
  },
  LIMITS.longTest,
);
