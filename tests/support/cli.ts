import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { main } from '@verbalis/cli';
import { OPERATOR, ROOT } from './service.js';

/** What a command printed, and how it ended. */
export interface Ran {
  readonly code: number | null;
  readonly out: string;
  readonly notes: string;
}

interface AtService {
  readonly url: string;
  readonly space?: string;
}

/** As the operator of a space, where a service is named. */
function calledAt(args: readonly string[], service: AtService | undefined) {
  const env = {
    ...process.env,
    NO_COLOR: '1',
    ...(service === undefined ? {} : { VERBALIS_URL: service.url, VERBALIS_KEY: OPERATOR }),
  };
  return { args: [...args, ...(service === undefined ? [] : ['--space', service.space ?? 'harbour'])], env };
}

/** The command line as a person calls it, in a process of its own; as the operator of a space where a service is named. */
export function spawnCli(args: readonly string[], service?: AtService): Promise<Ran> {
  const called = calledAt(args, service);
  return new Promise((done) => {
    const child = spawn(process.execPath, [join(ROOT, 'packages/cli/bin/verbalis.js'), ...called.args], { env: called.env });
    let [out, notes] = ['', ''];
    child.stdout.on('data', (chunk: Buffer) => (out += chunk.toString()));
    child.stderr.on('data', (chunk: Buffer) => (notes += chunk.toString()));
    child.on('close', (code) => {
      done({ code, out, notes });
    });
  });
}

interface Place {
  /** All that the command sees of an environment. */
  readonly env: Readonly<Record<string, string | undefined>>;
  readonly cwd?: string;
}
type Here = (command: typeof main, args: readonly string[], place: Required<Place>) => Promise<Ran>;

/**
 * The same without a process for it, which would cost more than most commands. What is about processes (signals, pipes, standard input, a
 * terminal) needs `spawnCli`.
 */
export async function runHere(args: readonly string[], { env, cwd = process.cwd() }: Place): Promise<Ran> {
  const load = (globalThis as unknown as Record<symbol, (file: string) => Promise<{ readonly runHere: Here }>>)[
    Symbol.for('verbalis.load')
  ];
  const here = await load?.(join(ROOT, 'tests/support/cli-here.mjs'));
  if (here === undefined) throw new Error('This test does not run in the environment of tests/support/environment.mjs.');
  return here.runHere(main, args, { env, cwd });
}

/** The same as the operator of a space. */
export function runCli(args: readonly string[], service: AtService): Promise<Ran> {
  const called = calledAt(args, service);
  return runHere(called.args, { env: called.env });
}
