// Runs the command line in this process, outside of Jest's sandbox (environment.mjs): starting one costs more than most commands.

/** One after the other: they have one environment, one folder and one output. */
let last = Promise.resolve();

/** What a process has of its own, in place of that of this one while a command runs. */
async function ran(main, args, { env, cwd }) {
  const { stdout, stderr } = process;
  const kept = { env: process.env, cwd: process.cwd(), out: stdout.write, err: stderr.write, isTTY: stdout.isTTY };
  const printed = { out: '', notes: '' };
  const keep = (name) => (chunk) => {
    printed[name] += typeof chunk === 'string' ? chunk : Buffer.from(chunk).toString();
    return true;
  };
  const listeners = [stdout, stderr].map((stream) => stream.listeners('error'));
  process.env = { ...env };
  process.chdir(cwd);
  Object.assign(stdout, { write: keep('out'), isTTY: false });
  stderr.write = keep('notes');
  try {
    return { code: await main(args), ...printed };
  } finally {
    Object.assign(stdout, { write: kept.out, isTTY: kept.isTTY });
    stderr.write = kept.err;
    process.env = kept.env;
    process.chdir(kept.cwd);
    [stdout, stderr].forEach((stream, i) => {
      for (const listener of stream.listeners('error')) if (!listeners[i].includes(listener)) stream.off('error', listener);
    });
  }
}

/** @returns the exit status, and what was printed on both outputs */
export function runHere(main, args, place) {
  const run = last.then(() => ran(main, args, place));
  last = run.catch(() => undefined);
  return run;
}
