// How long a standby needs from nothing to following, with a database of about 1 GB (MESSAGES): it fetches the snapshot from three brokers, makes
// the file of it and applies what has come since; against copying the file.
import { copyFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { OPERATOR, startCluster } from './support/cluster.mjs';
import { manyRows } from './support/many-rows.mjs';
import { folder, root, started } from './support/processes.mjs';

const MESSAGES = Number(process.env.MESSAGES ?? 550_000);
const DAY = 86_400_000;
const SPACES = `spaces: { dock: { mode: capture, mailFolder: ${join(root, 'demo/mail')} } }\n`;

export const runs = 1;

export default async function bench() {
  const { openStore } = await import(join(root, 'packages/service/dist/records/index.js'));
  const { SYSTEM_CLOCK } = await import(join(root, 'packages/service/dist/kernel/index.js'));
  const { createClient } = await import(join(root, 'packages/client/dist/index.js'));
  const open = (path) => openStore(path, { log: { info() {}, warn() {}, error: console.error }, clock: SYSTEM_CLOCK });
  let database = '';
  const cluster = await startCluster(SPACES, async (path) => {
    database = join(path, 'verbalis.sqlite');
    const alone = join(path, 'alone.yaml');
    writeFileSync(alone, `listen: { port: 0 }\nreturns: { port: 0 }\nlog: { level: error }\n${SPACES}`);
    // The first start makes the secrets that belong to the file.
    const service = await started(join(root, 'packages/cli/bin/verbalis.js'), ['serve', '--json', '--config', alone], {
      VERBALIS_OPERATOR_SECRET: OPERATOR,
    });
    service.end();
    await service.ended;
    await manyRows(database, open, { messages: MESSAGES, from: Date.now() - 90 * DAY, to: Date.now() - 60_000, space: 'dock' });
  });
  const primary = await cluster.serve('a');
  const size = statSync(database).size;
  const name = `standby: from nothing to following, ${Math.round(size / 1e6)} MB`;
  const clientOf = ({ said: { url } }) => createClient({ url, key: OPERATOR, space: 'dock' });
  let has = false;
  return [
    {
      name,
      unit: 's',
      // Once: a second one would find the file of the first.
      ours: async () => {
        if (has) return has;
        const from = performance.now();
        const standby = await cluster.serve('b');
        const client = clientOf(standby);
        for (;;) {
          const status = await client.cluster.get().catch(() => undefined);
          const own = status?.nodes.find(({ node }) => node === status.node);
          if (own?.role === 'standby' && status.log !== undefined && own.record >= status.log.last) break;
          await new Promise((done) => setTimeout(done, 200));
        }
        has = (performance.now() - from) / 1000;
        standby.stop();
        return has;
      },
      baseline: async () => {
        const from = performance.now();
        copyFileSync(database, join(folder(), 'copy.sqlite'));
        return (performance.now() - from) / 1000;
      },
      close: async () => {
        primary.stop();
        cluster.brokers.stop();
      },
    },
  ];
}
