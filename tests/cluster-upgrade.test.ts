import { cpSync, mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, expect, test } from '@jest/globals';
import type { Client } from '@verbalis/client';
import { checkIntegrity } from '@verbalis/service';
import { startBrokers } from './support/brokers.js';
import { makeMachines } from './support/cluster.js';
import { booking, ROOT, temporaryFolder, until } from './support/service.js';

// A cluster is upgraded as docs/cluster.md says it: the standby first, then the primary, by way of a promotion; the tables of the next version are not
// those of this one.

const next = temporaryFolder();
afterAll(next.remove);

/** The command line of a next version: that of this checkout, with one more step of its tables. */
function nextVersion(): string {
  const from = join(ROOT, 'packages/cli');
  for (const part of ['bin', 'bundle/app', 'drizzle', 'starter', 'package.json'])
    cpSync(join(from, part), join(next.path, part), { recursive: true });
  // The bundle needs one package.
  symlinkSync(join(ROOT, 'node_modules'), join(next.path, 'node_modules'));
  mkdirSync(join(next.path, 'drizzle/meta'), { recursive: true });
  const file = join(next.path, 'drizzle/meta/_journal.json');
  const journal = JSON.parse(readFileSync(file, 'utf8')) as {
    entries: { idx: number; when: number; version: string; tag: string; breakpoints: boolean }[];
  };
  const last = journal.entries.at(-1)!;
  journal.entries.push({ ...last, idx: last.idx + 1, when: last.when + 1, tag: '9999_next' });
  writeFileSync(file, JSON.stringify(journal));
  writeFileSync(
    join(next.path, 'drizzle/9999_next.sql'),
    'ALTER TABLE `messages` ADD `harbour` text;--> statement-breakpoint\nCREATE TABLE `harbours` (`name` text PRIMARY KEY NOT NULL);\n',
  );
  return join(next.path, 'bin/verbalis.js');
}

let n = 0;
async function send(client: Client, count: number): Promise<string[]> {
  const ids: string[] = [];
  for (let i = 0; i < count; i += 1) ids.push((await client.messages.send(booking(`rider${(n += 1)}@post.example`))).id);
  return ids;
}
const roleOf = (client: Client) =>
  client.cluster.get().then(
    ({ role }) => role,
    () => undefined,
  );
const becomes = (client: Client, role: string) => until(async () => ((await roleOf(client)) === role ? true : undefined));
async function has(client: Client, ids: readonly string[]): Promise<void> {
  for (const id of ids) expect((await until(() => client.messages.get(id).catch(() => undefined))).id).toBe(id);
}

test('a cluster is upgraded, with other tables, and nothing is lost', async () => {
  const program = nextVersion();
  const brokers = await startBrokers();
  const { machines, remove } = await makeMachines(brokers);
  try {
    const [a, b] = [machines[0]!, machines[1]!];
    const old = await a.spawn();
    const standby = await b.spawn();
    await becomes(standby.client, 'standby');
    const sent = await send(old.client, 5);
    // The standby goes first. It follows the log of the version before, and answers from tables that are not its own yet.
    await standby.end('SIGTERM');
    const second = await b.spawn(program);
    await becomes(second.client, 'standby');
    sent.push(...(await send(old.client, 3)));
    await has(second.client, sent);
    expect((await second.client.messages.list()).messages).toHaveLength(8);
    // It takes over, and has the tables of its version.
    await second.client.cluster.promote();
    await becomes(second.client, 'primary');
    await has(second.client, sent);
    sent.push(...(await send(second.client, 3)));
    // The version before cannot follow that: it says so, stays, and takes nothing over.
    const stuck = await until(async () => {
      const { nodes } = await second.client.cluster.get();
      return nodes.find(({ node, problem }) => node === 'a' && problem !== undefined);
    });
    expect(stuck.problem).toMatch(/another version of Verbalis/);
    expect(old.child.exitCode).toBeNull();
    // Upgraded, it is a standby again, from the new snapshot, and can be the primary.
    await old.end('SIGTERM');
    const first = await a.spawn(program);
    await becomes(first.client, 'standby');
    await has(first.client, sent);
    await first.client.cluster.promote();
    await becomes(first.client, 'primary');
    sent.push(...(await send(first.client, 2)));
    await has(first.client, sent);
    await has(second.client, sent);
    for (const node of [second, first]) await node.end('SIGTERM');
    for (const machine of [a, b]) expect(checkIntegrity(machine.database, Date.now()).flatMap(({ faults }) => faults)).toEqual([]);
  } finally {
    await remove();
    await brokers.stop();
  }
});
