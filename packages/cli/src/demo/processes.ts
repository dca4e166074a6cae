import { spawn, type ChildProcess } from 'node:child_process';
import { createInterface } from 'node:readline';
import { UsageError } from '../output.js';

/** The processes that the demo is made of. */
export class Processes {
  readonly #children: ChildProcess[] = [];

  /** Starts one, and waits for the line of JSON that it says when it is ready. */
  async start(file: string, args: readonly string[], env: NodeJS.ProcessEnv = process.env): Promise<Record<string, unknown>> {
    const child = spawn(process.execPath, [file, ...args], { env, stdio: ['pipe', 'pipe', 'pipe'] });
    this.#children.push(child);
    let log = '';
    child.stderr.on('data', (bytes: Buffer) => {
      log = (log + bytes.toString()).slice(-4000);
    });
    const first = await new Promise<string>((resolve, reject) => {
      createInterface({ input: child.stdout }).once('line', resolve);
      child.once('exit', (code) => {
        reject(new UsageError(log.trim() === '' ? `A part of the demo ended with ${code ?? 'a signal'}.` : log.trim()));
      });
    });
    const said = JSON.parse(first) as Record<string, unknown> & { ok?: boolean; problem?: { title: string; hint?: string } };
    if (said.ok === false) throw new UsageError(said.problem?.title ?? log.trim(), said.problem?.hint);
    return said;
  }

  /** Ends all, the last one first. */
  async end(): Promise<void> {
    await Promise.all(this.#children.toReversed().map(ended));
  }
}

function ended(child: ChildProcess): Promise<void> {
  return new Promise((done) => {
    if (child.exitCode !== null || child.signalCode !== null) {
      done();
      return;
    }
    child.once('exit', () => {
      done();
    });
    child.kill('SIGTERM');
  });
}
