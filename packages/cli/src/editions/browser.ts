import { spawn, type ChildProcess } from 'node:child_process';
import { accessSync, constants, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { delimiter, join } from 'node:path';
import connect, { type Client } from 'chrome-remote-interface';
import { UsageError } from '../output.js';

/** Programs of browsers that speak the DevTools protocol. */
const PROGRAMS = ['chromium-headless-shell', 'chromium', 'chromium-browser', 'google-chrome', 'google-chrome-stable', 'chrome'];
/** How long a browser may take to start, in milliseconds. */
const START_MS = 60_000;
/** How long a browser may take to end. */
const END_MS = 10_000;
/** Tallest picture that is taken, in CSS pixels. */
const MOST_HEIGHT = 12_000;

/** A headless browser that takes pictures of documents. */
export interface Browser {
  /** A PNG of a whole document at a width in CSS pixels. No script runs, and nothing is loaded. */
  readonly picture: (html: string, width: number) => Promise<Buffer>;
  readonly close: () => Promise<void>;
}

function program(): string {
  for (const folder of (process.env['PATH'] ?? '').split(delimiter))
    for (const name of PROGRAMS) {
      const file = join(folder, name);
      try {
        accessSync(file, constants.X_OK);
        return file;
      } catch {
        // The next one.
      }
    }
  throw new UsageError('Pictures need Chromium, which is not in PATH.', 'Install it, or leave --pictures out.');
}

/** The port that a browser says it listens on. */
function portOf(child: ChildProcess): Promise<number> {
  return new Promise((done, fail) => {
    let said = '';
    const timer = setTimeout(() => fail(new Error('Chromium did not start in a minute.')), START_MS);
    child.stderr?.on('data', (bytes: Buffer) => {
      said = (said + bytes.toString()).slice(-4000);
      const port = /DevTools listening on ws:\/\/[^:]+:(\d+)\//.exec(said)?.[1];
      if (port === undefined) return;
      clearTimeout(timer);
      done(Number(port));
    });
    child.once('error', fail);
    child.once('exit', (code) => {
      clearTimeout(timer);
      fail(new Error(`Chromium ended with ${code ?? 'a signal'}: ${said.trim().split('\n').at(-1) ?? ''}`));
    });
  });
}

/** Starts a headless Chromium that reaches no host. @throws UsageError if it is not installed */
export async function openBrowser(): Promise<Browser> {
  const profile = mkdtempSync(join(tmpdir(), 'verbalis-browser-'));
  const args = [
    '--headless',
    '--remote-debugging-port=0',
    `--user-data-dir=${profile}`,
    '--no-first-run',
    '--disable-gpu',
    '--hide-scrollbars',
  ];
  // Root has no sandbox of its own: in containers, mostly.
  if (process.getuid?.() === 0) args.push('--no-sandbox');
  const child = spawn(program(), [...args, '--host-resolver-rules=MAP * ~NOTFOUND', 'about:blank'], {
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  const ended = new Promise((done) => child.once('exit', done));
  /** A program that only starts the browser ends alone when it is killed, so the browser itself is asked to end. */
  const close = async (client?: Client): Promise<void> => {
    const isClosing = client?.Browser.close().then(
      () => true,
      () => false,
    );
    if ((await isClosing) !== true) child.kill();
    await Promise.race([ended, new Promise((late) => setTimeout(late, END_MS).unref())]);
    child.kill('SIGKILL');
    child.stderr.destroy();
    await client?.close().catch(() => undefined);
    rmSync(profile, { recursive: true, force: true, maxRetries: 5 });
  };
  let client: Client | undefined;
  try {
    client = await connect({ port: await portOf(child), host: '127.0.0.1', local: true });
    const { Emulation, Page } = client;
    await Page.enable();
    await Emulation.setScriptExecutionDisabled({ value: true });
    const { frameTree } = await Page.getFrameTree();
    const picture = async (html: string, width: number): Promise<Buffer> => {
      await Emulation.setDeviceMetricsOverride({ width, height: 100, deviceScaleFactor: 1, mobile: false });
      await Page.setDocumentContent({ frameId: frameTree.frame.id, html });
      const { cssContentSize } = await Page.getLayoutMetrics();
      const height = Math.min(MOST_HEIGHT, Math.max(1, Math.ceil(cssContentSize.height)));
      const { data } = await Page.captureScreenshot({
        format: 'png',
        captureBeyondViewport: true,
        clip: { x: 0, y: 0, width, height, scale: 1 },
      });
      return Buffer.from(data, 'base64');
    };
    return { picture, close: () => close(client) };
  } catch (error) {
    await close(client);
    throw error;
  }
}
