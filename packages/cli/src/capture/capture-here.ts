import { randomBytes } from 'node:crypto';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { createClient } from '@verbalis/client';
import { startService } from '@verbalis/service';
import { readConfig } from '@verbalis/service/settings';
import { UsageError, type ExitCode, type Output } from '../output.js';

export interface CaptureOptions {
  readonly port?: string;
  readonly smtpPort?: string;
  readonly mailFolder?: string;
  readonly dir?: string;
  readonly json?: boolean;
}

const SPACE = 'captured';
const [USUAL_PORT, USUAL_SMTP_PORT] = ['8620', '8628'];

function portOf(given: string, option: string): number {
  const port = Number(given);
  if (given.trim() !== '' && Number.isInteger(port) && port >= 0 && port <= 65_535) return port;
  throw new UsageError(`"${given}" is not a port.`, `Give a number from 0 (any free one) to 65535: ${option} 2525`);
}

/** What the configuration of a service would say, that does nothing but capture. JSON is YAML. */
function configurationOf(dir: string, { port, smtpPort, mailFolder }: CaptureOptions): string {
  const own = mailFolder === undefined ? { sender: 'The app <app@app.example>' } : { mailFolder: resolve(mailFolder) };
  return JSON.stringify({
    listen: { port: portOf(port ?? USUAL_PORT, '--port') },
    submission: { port: portOf(smtpPort ?? USUAL_SMTP_PORT, '--smtp-port'), openTo: SPACE },
    returns: { port: 0 },
    databaseFile: join(dir, 'verbalis.sqlite'),
    secretsFile: join(dir, 'verbalis.secrets.json'),
    log: { level: 'warn' },
    spaces: { [SPACE]: { mode: 'capture', ...own } },
  });
}

/** Captures whatever apps on this machine send, until it is interrupted: SMTP, a page, and an API to wait for an email. Nothing leaves. */
export async function captureHere(options: CaptureOptions, output: Output): Promise<ExitCode> {
  const isKept = options.dir !== undefined;
  const dir = options.dir === undefined ? mkdtempSync(join(tmpdir(), 'verbalis-capture-')) : resolve(options.dir);
  const remove = (): void => {
    if (!isKept) rmSync(dir, { recursive: true, force: true });
  };
  try {
    mkdirSync(dir, { recursive: true });
    const file = join(dir, 'capture.yaml');
    writeFileSync(file, configurationOf(dir, options));
    const operatorSecret = randomBytes(18).toString('base64url');
    const service = await startService({ config: readConfig(file, {}), operatorSecret });
    const interrupted = new Promise<void>((done) => {
      for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => done());
    });
    const { url, submissionPort: smtpPort } = service;
    const operator = createClient({ url, key: operatorSecret, space: SPACE });
    const { key } = await operator.keys.add({ name: 'capture', scopes: ['send', 'read', 'write'] });
    const page = await service.signInLink();
    const where = { url, smtpHost: '127.0.0.1', smtpPort, key, space: SPACE, page };
    output.line(where, whereToLook(where, output));
    await interrupted;
    await service.stop();
    return 0;
  } finally {
    remove();
  }
}

interface Where {
  readonly url: string;
  readonly smtpHost: string;
  readonly smtpPort: number | undefined;
  readonly key: string;
  readonly page: string;
}

function whereToLook({ url, smtpHost, smtpPort, key, page }: Where, { color }: Output): string {
  return [
    color.bold('Email that is handed in here is captured, and goes nowhere.'),
    `  SMTP:   ${smtpHost}, port ${smtpPort ?? 0}; any user and password, no TLS`,
    `  Page (this link opens it once, within 15 minutes): ${color.cyan(page)}`,
    '  Wait for an email, from a test in any language; 404 when none comes in time:',
    `    curl -H "Authorization: Bearer ${key}" "${url}/v1/captured/wait?to=asa@post.example&seconds=10"`,
    '  Or with the other commands, in another terminal:',
    `    export VERBALIS_URL=${url} VERBALIS_KEY=${key}`,
    '    verbalis captured wait --to asa@post.example --part code',
    '',
    'End with Ctrl+C.',
  ].join('\n');
}
