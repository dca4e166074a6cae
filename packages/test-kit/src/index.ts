import { randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import {
  createClient,
  type AnySignals,
  type AnyTemplates,
  type CapturedMail,
  type Client,
  type InboundView,
  type Schema,
  type SignalOptions,
} from '@verbalis/client';
import { stringify } from 'yaml';
import { startChild } from './child.js';
import { replyTo, type Reply } from './reply.js';

export { mailMatchers } from './matchers.js';
export type { Reply } from './reply.js';

export interface MailServiceOptions {
  /** The mail folder whose templates the app sends; none is needed for emails that the app makes itself. */
  readonly mailFolder?: string;
  /** Put over the configuration, as in verbalis.yaml. */
  readonly settings?: Readonly<Record<string, unknown>>;
}

/** What followed from a signal. */
export interface Followed {
  /** What each rule on its type made of it; one whose email is due later waits. */
  readonly rules: readonly Schema<'SignalMatch'>[];
  /** The emails that were sent, one for each recipient. */
  readonly mails: readonly CapturedMail[];
}

export interface MailService<T extends object = AnyTemplates, S extends object = AnySignals> {
  /** http://127.0.0.1:PORT */
  readonly url: string;
  /** A key of the capturing space, with every scope that an app or a test needs. */
  readonly key: string;
  readonly client: Client<T, S>;
  /** What the app has sent. */
  readonly captured: Client<T>['captured'];
  /**
   * Says what has happened, and waits until each rule was asked and what it sent is captured.
   * @throws Error when that takes longer than `within` ms; ten seconds when left out
   */
  readonly signal: <N extends keyof S & string>(
    type: N,
    data: NoInfer<S[N]>,
    options?: SignalOptions & { readonly within?: number },
  ) => Promise<Followed>;
  /**
   * Answers a captured email as its recipient would, and waits until the answer is read: the app gets the event `received`.
   * @throws Error where the email takes no answers
   */
  readonly reply: (mail: CapturedMail, reply: Reply & { readonly within?: number }) => Promise<InboundView>;
  /** Where an app hands mail in by SMTP, with any user and password. */
  readonly smtp: { readonly host: string; readonly port: number };
  readonly stop: () => Promise<void>;
}

const WITHIN_MS = 10_000;
const ASK_MS = 20;

/** Waits until rules were asked about a signal, and until their emails are captured. */
async function followed(client: Client, id: string, within: number): Promise<Followed> {
  const end = Date.now() + within;
  for (;;) {
    const { isOpen, rules } = await client.signals.get(id);
    const sent = rules.flatMap(({ messageId }) => messageId ?? []);
    const isUnderWay = isOpen || rules.some(({ state, dueAt }) => state === 'waiting' && Date.parse(dueAt ?? '') <= Date.now());
    const mails = isUnderWay ? undefined : await capturedOf(client, sent);
    if (mails !== undefined) return { rules, mails };
    if (Date.now() > end)
      throw new Error(`After ${within} ms the signal ${id} was not dealt with: ${isOpen ? 'no rule was asked' : JSON.stringify(rules)}.`);
    await new Promise((done) => setTimeout(done, ASK_MS));
  }
}

/** The captured emails of messages; undefined while some are missing. */
async function capturedOf(client: Client, messageIds: readonly string[]): Promise<CapturedMail[] | undefined> {
  const mails: CapturedMail[] = [];
  for (const messageId of messageIds) {
    const { deliveries } = await client.messages.get(messageId);
    for (const { address, state } of deliveries) {
      if (state === 'queued' || state === 'delayed') return undefined;
      const { captured } = await client.captured.list({ to: address });
      const found = captured.find((mail) => mail.messageId === messageId);
      if (found !== undefined) mails.push(await client.captured.get(found.id));
      else if (state === 'accepted') return undefined;
    }
  }
  return mails;
}

/** The capturing space of a service that a test has started. */
export const TEST_SPACE = 'test';

/**
 * Starts a service for a test file, as a child process: on free ports, with a database of its own that goes when it ends. It captures all it
 * gets, so that nothing ever leaves. The program is that of the package `verbalis`, or what VERBALIS_BIN names.
 * @throws Error with what the service says, when it cannot start
 */
export async function startMailService<T extends object = AnyTemplates, S extends object = AnySignals>(
  options: MailServiceOptions = {},
): Promise<MailService<T, S>> {
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
    const service = await startChild(file, operatorSecret);
    const operator = createClient({ url: service.url, key: operatorSecret, space: TEST_SPACE });
    const { key } = await operator.keys.add({ name: 'tests', scopes: ['send', 'read', 'write'] });
    const client = createClient<T, S>({ url: service.url, key });
    return {
      url: service.url,
      key,
      client,
      captured: client.captured,
      signal: async (type, data, { within = WITHIN_MS, ...more } = {}) => {
        const { id } = await client.signal(type, data, more);
        return followed(client as unknown as Client, id, within);
      },
      reply: (mail, { within = WITHIN_MS, ...reply }) => replyTo(client as unknown as Client, mail, reply, within),
      smtp: { host: '127.0.0.1', port: service.submissionPort },
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
