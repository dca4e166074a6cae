import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { createClient } from '@verbalis/client';
import { OPERATOR, ROOT } from './service.js';

const CLI = join(ROOT, 'packages/cli/bin/verbalis.js');

/** A service in a process of its own, which can be killed. Its client is the operator in the space "harbour". */
export async function startChild(config: string) {
  const child = spawn(process.execPath, [CLI, 'serve', '--json', '--config', config], {
    env: { ...process.env, VERBALIS_OPERATOR_SECRET: OPERATOR },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  const line = await new Promise<string>((done) => createInterface({ input: child.stdout }).once('line', done));
  const { url } = (JSON.parse(line) as { result: { url: string } }).result;
  return {
    url,
    client: createClient({ url, key: OPERATOR, space: 'harbour' }),
    end: (signal: NodeJS.Signals) =>
      new Promise<void>((done) => {
        child.once('exit', () => done());
        child.kill(signal);
      }),
  };
}
