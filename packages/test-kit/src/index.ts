import { randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { Writable } from 'node:stream';
import { createClient, type AnyTemplates, type Client } from '@verbalis/client';
import { startService } from '@verbalis/service';
import { readConfig } from '@verbalis/service/settings';
import { stringify } from 'yaml';

export { mailMatchers } from './matchers.js';

export interface MailServiceOptions {
  /** The mail folder whose templates the app sends; none is needed for emails that the app makes itself. */
  readonly mailFolder?: string;
  /** Put over the configuration, as in verbalis.yaml. */
  readonly settings?: Readonly<Record<string, unknown>>;
}

export interface MailService<T extends object = AnyTemplates> {
  /** http://127.0.0.1:PORT */
  readonly url: string;
  /** A key of the capturing space, with every scope that an app or a test needs. */
  readonly key: string;
  readonly client: Client<T>;
  /** What the app has sent. */
  readonly captured: Client<T>['captured'];
  /** Where an app hands mail in by SMTP, with any user and password. */
  readonly smtp: { readonly host: string; readonly port: number };
  readonly stop: () => Promise<void>;
}

/** The capturing space of a service that a test has started. */
export const TEST_SPACE = 'test';

/**
 * Starts a service for a test file, in this process: on free ports, with a database of its own that goes when it ends. It captures all it
 * gets, so that nothing ever leaves.
 * @throws StartError with a sentence and a hint, when it cannot start
 */
export async function startMailService<T extends object = AnyTemplates>(options: MailServiceOptions = {}): Promise<MailService<T>> {
  const folder = mkdtempSync(join(tmpdir(), 'verbalis-test-kit-'));
  const remove = (): void => {
    rmSync(folder, { recursive: true, force: true });
  };
  try {
    const file = join(folder, 'verbalis.yaml');
    writeFileSync(
      file,
      stringify({
        listen: { port: 0 },
        returns: { port: 0 },
        submission: { port: 0, openTo: TEST_SPACE },
        log: { level: 'warn' },
        spaces: {
          [TEST_SPACE]: {
            mode: 'capture',
            sender: 'The app <app@app.example>',
            ...(options.mailFolder === undefined ? {} : { mailFolder: resolve(options.mailFolder), sender: undefined }),
          },
        },
        ...options.settings,
      }),
    );
    const operatorSecret = randomBytes(18).toString('base64url');
    // What the service has to say goes to whoever runs the test.
    const logTo = new Writable({
      write(chunk: Buffer, _encoding, done) {
        process.stderr.write(chunk);
        done();
      },
    });
    const service = await startService({ config: readConfig(file, {}), operatorSecret, logTo });
    const operator = createClient({ url: service.url, key: operatorSecret, space: TEST_SPACE });
    const { key } = await operator.keys.add({ name: 'tests', scopes: ['send', 'read', 'write'] });
    const client = createClient<T>({ url: service.url, key });
    return {
      url: service.url,
      key,
      client,
      captured: client.captured,
      smtp: { host: '127.0.0.1', port: service.submissionPort ?? 0 },
      stop: async () => {
        await service.stop();
        remove();
      },
    };
  } catch (error) {
    remove();
    throw error;
  }
}
