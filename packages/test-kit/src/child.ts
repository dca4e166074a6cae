import { spawn, type ChildProcess } from 'node:child_process';
import { existsSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';

/** A service in a process of its own. */
export interface ServiceProcess {
  readonly url: string;
  readonly submissionPort: number;
  readonly stop: () => Promise<void>;
}

const LAST_WORDS = 4000;

/** The program in the package that a file belongs to. */
function programAbove(file: string): string | undefined {
  for (let folder = dirname(file); folder !== dirname(folder); folder = dirname(folder)) {
    const program = join(folder, 'bin/verbalis.js');
    if (existsSync(program)) return program;
  }
  return undefined;
}

/**
 * The program of the service: VERBALIS_BIN, or the package "verbalis" as the app has it, or that of a checkout.
 * @throws Error with what to do where there is none
 */
function programOf(): string {
  const named = process.env['VERBALIS_BIN'];
  if (named !== undefined) return named;
  for (const [from, wanted] of [
    [join(process.cwd(), 'package.json'), 'verbalis/package.json'],
    [import.meta.url, '@verbalis/cli'],
  ] as const)
    try {
      const file = programAbove(createRequire(from).resolve(wanted));
      if (file !== undefined) return file;
    } catch {
      // Not there: the next place.
    }
  throw new Error(
    'The package "verbalis" is not installed here. Run: npm install --save-dev verbalis; or name its program in VERBALIS_BIN.',
  );
}

function ended(child: ChildProcess): Promise<void> {
  return new Promise((done) => {
    if (child.exitCode !== null || child.signalCode !== null) done();
    else {
      child.once('exit', () => done());
      child.stdin?.end();
    }
  });
}

/** Starts a service as a child: it ends with this process, however that ends. @throws Error with what the service says when it cannot start */
export async function startChild(config: string, operatorSecret: string): Promise<ServiceProcess> {
  const env = Object.fromEntries(Object.entries(process.env).filter(([name]) => !name.startsWith('VERBALIS_')));
  const child = spawn(process.execPath, [programOf(), 'serve', '--json', '--ends-with-stdin', '--config', config], {
    env: { ...env, VERBALIS_OPERATOR_SECRET: operatorSecret },
    stdio: ['pipe', 'pipe', 'pipe'],
  });
  let words = '';
  child.stderr.on('data', (bytes: Buffer) => {
    words = (words + bytes.toString()).slice(-LAST_WORDS);
    // The output of the service goes to the person who runs the test.
    process.stderr.write(bytes);
  });
  const first = await new Promise<string>((resolve, reject) => {
    let out = '';
    child.stdout.on('data', (bytes: Buffer) => {
      out += bytes.toString();
      const end = out.indexOf('\n');
      if (end !== -1) resolve(out.slice(0, end));
    });
    child.once('error', reject);
    child.once('exit', (code) => reject(new Error(words.trim() === '' ? `The service ended with ${code ?? 'a signal'}.` : words.trim())));
  });
  const { result, problem } = JSON.parse(first) as {
    readonly result?: { readonly url: string; readonly submissionPort?: number };
    readonly problem?: { readonly title: string; readonly hint?: string };
  };
  if (result === undefined) {
    await ended(child);
    throw new Error([problem?.title ?? words.trim(), problem?.hint].filter((text) => text !== undefined).join('\n'));
  }
  const { url, submissionPort } = result;
  return { url, submissionPort: submissionPort ?? 0, stop: () => ended(child) };
}
