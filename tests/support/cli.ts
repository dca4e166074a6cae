import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { OPERATOR, ROOT } from './service.js';

/** What a command printed, and how it ended. */
export interface Ran {
  readonly code: number | null;
  readonly out: string;
  readonly notes: string;
}

/** The command line as a person calls it, in a process of its own; as the operator of a space where a service is named. */
export function runCli(args: readonly string[], service?: { readonly url: string; readonly space?: string }): Promise<Ran> {
  const env = {
    ...process.env,
    NO_COLOR: '1',
    ...(service === undefined ? {} : { VERBALIS_URL: service.url, VERBALIS_KEY: OPERATOR }),
  };
  const space = service === undefined ? [] : ['--space', service.space ?? 'harbour'];
  return new Promise((done) => {
    const child = spawn(process.execPath, [join(ROOT, 'packages/cli/bin/verbalis.js'), ...args, ...space], { env });
    let [out, notes] = ['', ''];
    child.stdout.on('data', (chunk: Buffer) => (out += chunk.toString()));
    child.stderr.on('data', (chunk: Buffer) => (notes += chunk.toString()));
    child.on('close', (code) => {
      done({ code, out, notes });
    });
  });
}
