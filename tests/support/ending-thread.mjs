// A service whose first thread (that of links) ends when it is sent a message: node ending-thread.mjs CONFIG OPERATOR_SECRET
import { join } from 'node:path';

const dist = join(import.meta.dirname, '../../packages/service/dist');
const { startService } = await import(join(dist, 'app/index.js'));
const { readConfig } = await import(join(dist, 'settings/index.js'));
const { SYSTEM_CLOCK } = await import(join(dist, 'kernel/index.js'));

const threads = [];
process.on('worker', (worker) => threads.push(worker));
const [, , config, operatorSecret] = process.argv;
// For the service every hit is old enough to be judged.
const clock = { ...SYSTEM_CLOCK, now: () => Date.now() + 60_000 };
const { url, linksPort } = await startService({ config: readConfig(config, {}), operatorSecret, clock });
process.on('message', async () => {
  await threads[0].terminate();
  process.send('ended');
});
process.send({ url, linksPort });
