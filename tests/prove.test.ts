import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { LIMITS } from './support/limits.js';
import { ROOT } from './support/service.js';
import { scaled } from './support/scale.js';

const KILLS = scaled(4, 40);

// The command as an operator runs it: the service is killed and stopped under load, in processes of its own.
test.each([['1'], ['2']])(
  'every promise is kept, with %s workers',
  async (workers) => {
    const args = [join(ROOT, 'packages/cli/bin/verbalis.js'), 'prove', '--json', '--kills', String(KILLS / 2), '--workers', workers];
    const child = spawn(process.execPath, args, { stdio: ['ignore', 'pipe', 'ignore'] });
    let out = '';
    child.stdout.on('data', (chunk: Buffer) => (out += chunk.toString()));
    const status = await new Promise((done) => child.once('exit', done));
    process.stderr.write(`prove, ${workers} workers: ${out.replace(/\s+/g, ' ')}\n`);
    expect(JSON.parse(out)).toMatchObject({
      ok: true,
      result: { lost: 0, unexplained: 0, stuck: 0, wrong: 0, missing: 0, disordered: 0, ok: true },
    });
    expect(status).toBe(0);
  },
  LIMITS.longTest,
);
