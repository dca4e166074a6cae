import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { createClient, RefusedError } from '@verbalis/client';
import { startSmtpProvider } from '@verbalis/simulators';
import { startChild } from './support/child.js';
import { booking, DEMO_FOLDER, OPERATOR, until } from './support/service.js';
import { smallDisk } from './support/small-disk.js';

test('a full disk: requests are refused clearly, nothing accepted is lost, and space that returns is used', async () => {
  const disk = smallDisk(12);
  const simulator = await startSmtpProvider({
    name: 'relay',
    host: '127.0.0.1',
    port: 0,
    script: {},
    returnsTo: { host: '127.0.0.1', port: 1 },
    reportAfterMs: 50,
  });
  const config = join(disk.path, 'verbalis.yaml');
  writeFileSync(
    config,
    `listen: { port: 0 }\nreturns: { port: 0 }\nlog: { level: fatal }\ndatabaseFile: ${disk.path}/v.sqlite
dispatch: { retry: { firstSeconds: 0.2, growth: 1, mostSeconds: 0.5 } }
providers: { relay: { kind: smtp, host: 127.0.0.1, port: ${simulator.port} } }
spaces: { harbour: { mode: deliver, mailFolder: ${DEMO_FOLDER}, route: [relay], senderDomains: [saltmarsh-ferries.example] } }\n`,
  );
  const child = await startChild(config);
  try {
    const client = createClient({ url: child.url, key: OPERATOR, space: 'harbour', tries: 1 });
    const ids: string[] = [];
    disk.fill(6_000_000);
    let refused: unknown;
    for (let n = 0; n < 2000 && refused === undefined; n += 1) {
      try {
        ids.push((await client.messages.send(booking(`guest${n}@post.example`))).id);
      } catch (error) {
        refused = error;
      }
    }
    expect(refused).toBeInstanceOf(RefusedError);
    expect((refused as RefusedError).problem).toMatchObject({ status: 503, type: 'urn:verbalis:problem:store-unavailable' });
    disk.fill(0);
    ids.push((await client.messages.send(booking('after@post.example'))).id);
    await until(async () => ((await client.queue.get()).waiting === 0 ? true : undefined));
    for (const id of ids) expect((await client.messages.get(id)).deliveries[0]!.state).toBe('accepted');
  } finally {
    await child.end('SIGKILL');
    await simulator.close();
    await disk.remove();
  }
});
