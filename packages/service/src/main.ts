import { createServer } from 'node:http';
import { isAbsolute, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { USUAL_RETRIES, type Cause, type RetryPlan, type RetryRule } from '@verbalis/core/delivery';
import { pino, type DestinationStream } from 'pino';
import { acceptor } from './accept/index.js';
import { SYSTEM_CLOCK, type Clock } from './clock.js';
import { readSecrets, type ReadConfig, type Settings } from './config/index.js';
import { Dispatcher } from './dispatch/index.js';
import { editionCache, EditionError } from './editions/index.js';
import { FolderError, readMailFolder } from './mail-folder/index.js';
import { makeApp } from './http/app.js';
import { SIGN_IN_MS } from './http/session.js';
import { returnIntake } from './intake/index.js';
import { signMail } from '@verbalis/core/dkim';
import { addressText, isFault, mailBytes, parseAddress, parseMailbox, prefixed, writeMail } from '@verbalis/core/mime';
import { replyText } from '@verbalis/core/smtp';
import { composeMail } from './dispatch/index.js';
import { captureProvider, type Provider } from './providers/index.js';
import { makeProvider } from './make-provider.js';
import { signing } from './signing/index.js';
import { openStore } from './store/index.js';

/** Why the service could not start, in words for the one who starts it. */
export class StartError extends Error {
  override name = 'StartError';
}

export interface StartOptions {
  readonly config: ReadConfig;
  readonly operatorSecret?: string | undefined;
  readonly clock?: Clock;
  readonly logTo?: DestinationStream;
}

export interface Service {
  /** Where it is reached: http://127.0.0.1:8620 */
  readonly url: string;
  readonly returnsPort: number;
  /** An address that opens the console, once. */
  readonly signInUrl: string;
  readonly operatorSecret: string;
  /** Takes nothing more, finishes what is under way, closes. */
  readonly stop: () => Promise<void>;
}

const CONSOLE_FOLDER = fileURLToPath(new URL('../../console/dist', import.meta.url));

function retryRule(rule: NonNullable<Settings['dispatch']['retry']>): RetryRule {
  return { first: rule.firstSeconds * 1000, growth: rule.growth, most: rule.mostSeconds * 1000 };
}

function retryPlan(dispatch: Settings['dispatch']): RetryPlan {
  const own = Object.entries(dispatch.retryByCause).map(([cause, rule]) => [cause as Cause, retryRule(rule)] as const);
  return {
    usual: dispatch.retry === undefined ? USUAL_RETRIES.usual : retryRule(dispatch.retry),
    byCause: { ...USUAL_RETRIES.byCause, ...Object.fromEntries(own) },
    attempts: dispatch.attempts ?? USUAL_RETRIES.attempts,
  };
}

function portFault(error: unknown, option: string, host: string, port: number): StartError {
  const code = (error as NodeJS.ErrnoException).code;
  if (code === 'EADDRINUSE') return new StartError(`Port ${port} on ${host} is in use. Set another as ${option}, or end what uses it.`);
  if (code === 'EACCES')
    return new StartError(`Port ${port} on ${host} may not be used by this user. Set another as ${option} (1024 or higher).`);
  return new StartError(`Cannot listen on ${host}:${port} (${option}): ${error instanceof Error ? error.message : String(error)}`);
}

/** Wires the service together and starts it: the only place that constructs things. @throws StartError */
export async function startService(options: StartOptions): Promise<Service> {
  const { settings, folder } = options.config;
  const clock = options.clock ?? SYSTEM_CLOCK;
  const within = (path: string): string => (isAbsolute(path) ? path : join(folder, path));
  const log = pino(
    {
      level: settings.log.level,
      base: undefined,
      redact: { paths: ['*.password', '*.secret', '*.key', 'authorization', 'cookie'], censor: '…' },
    },
    options.logTo ?? pino.destination({ dest: 2, sync: true }),
  );
  const secrets = readSecrets(within(settings.secretsFile), options.operatorSecret);
  const store = openStore(within(settings.databaseFile));
  const closing: (() => void | Promise<void>)[] = [store.close];
  const undo = async (): Promise<void> => {
    for (const close of closing.reverse()) await close();
  };
  try {
    const now = clock.now();
    const interrupted = store.deliveries.recover(now);
    if (interrupted > 0)
      log.warn({ attempts: interrupted }, 'attempts were under way when the service ended; they are marked as uncertain');

    const editions = editionCache(store);
    for (const [name, space] of Object.entries(settings.spaces)) {
      const { row } = editions.publish(name, await readMailFolder(within(space.mailFolder)), now);
      log.info({ space: name, mode: space.mode, edition: row.number }, 'space ready');
    }

    const providers = new Map<string, Provider>();
    for (const [name, provider] of Object.entries(settings.providers))
      providers.set(name, makeProvider(name, provider, { helloName: settings.helloName, within, log }));
    const capture = captureProvider();
    const returnSecret = secrets.keyFor('returns');
    const keys = signing(store, secrets.keyFor('signing'));
    const composing = { store, editions, keysFor: (domain: string) => keys.keysFor(domain) };
    const dispatcher = new Dispatcher({
      ...composing,
      outside: {
        allow: settings.outside.allow,
        waitMs: settings.outside.waitSeconds * 1000,
        mostBytes: settings.limits.attachmentBytes,
      },
      clock,
      log,
      retries: retryPlan(settings.dispatch),
      concurrency: settings.dispatch.concurrency,
      leaseMs: settings.dispatch.leaseSeconds * 1000,
      returnDomain: settings.returns.domain,
      returnSecret,
      route: (name, attempt) => {
        const space = settings.spaces[name];
        // A capturing space never reaches a provider, whatever else is configured.
        if (space === undefined || space.mode === 'capture') return space === undefined ? undefined : capture;
        return providers.get(space.route[(attempt - 1) % space.route.length] ?? '');
      },
      random: Math.random,
    });
    closing.push(async () => {
      await dispatcher.stop();
      for (const provider of providers.values()) provider.close();
    });

    const intake = returnIntake({
      store,
      clock,
      log,
      domain: settings.returns.domain,
      secret: returnSecret,
      maxBytes: settings.returns.maxBytes,
    });
    const listener = await intake.listen(settings.returns.host, settings.returns.port).catch((error: unknown) => {
      throw portFault(error, 'returns.port (VERBALIS_RETURNS_PORT)', settings.returns.host, settings.returns.port);
    });
    closing.push(listener.close);

    let ready = true;
    const spaces = new Map(Object.entries(settings.spaces).map(([name, { mode }]) => [name, { mode }]));
    const accept = acceptor({
      store,
      editions,
      clock,
      spaces: new Map(Object.entries(settings.spaces)),
      attachmentBytes: settings.limits.attachmentBytes,
      maxRecipients: settings.limits.recipients,
      wake: dispatcher.wake,
    });
    /** One mail at once and outside of the queue, to see whether a provider takes it. */
    const tryProvider = async (provider: Provider, space: string, to: string): Promise<{ kind: string; detail: string }> => {
      const from = parseMailbox(settings.spaces[space]?.sender ?? editions.current(space)?.project.settings.sender ?? '');
      const address = parseAddress(to);
      if (isFault(from) || isFault(address)) return { kind: 'refused', detail: 'The space has no sender to write the test mail.' };
      const id = `test-${clock.now()}@${from.domain}`;
      const subject = `Test of the provider ${provider.name}`;
      const text = `This is a test mail of the provider "${provider.name}".\nIf you can read it, it works.\n`;
      const shared = {
        from,
        to: [{ ...address, name: '' }],
        cc: [],
        replyTo: [],
        subject,
        text,
        headers: [['Auto-Submitted', 'auto-generated']] as const,
      };
      const written = writeMail({ ...shared, messageId: id, date: clock.now(), boundary: '=_test' });
      const mail = prefixed(signMail(written, keys.keysFor(from.domain), clock.now()), written);
      const parts = {
        ...shared,
        html: undefined,
        messageId: id,
        deliveryId: id,
        attachments: [],
        pictures: [],
        template: '',
        topic: undefined,
        reference: undefined,
        labels: {},
      };
      const outcome = await provider.hand({ envelope: { from: addressText(from), to: addressText(address) }, mail, parts });
      const detail = outcome.reply === undefined ? (outcome.reason ?? outcome.kind) : replyText(outcome.reply);
      return { kind: outcome.kind, detail };
    };
    const app = makeApp({
      store,
      clock,
      log,
      accept,
      editions,
      signing: keys,
      providers,
      tryProvider,
      operators: new Map(Object.entries(settings.spaces).map(([name, space]) => [name, space.operator])),
      compose: (message, delivery) => mailBytes(composeMail(composing, message, delivery).mail),
      attachmentBytes: settings.limits.attachmentBytes,
      spaces,
      operatorSecret: secrets.operator,
      bodyBytes: settings.limits.bodyBytes,
      consoleFolder: CONSOLE_FOLDER,
      secure: settings.publicUrl?.startsWith('https:') ?? false,
      ready: () => ready,
    });
    const server = createServer(app);
    const { host, port } = settings.listen;
    await new Promise<void>((resolve, reject) => {
      server.once('error', (error) => {
        reject(portFault(error, 'listen.port (VERBALIS_LISTEN_PORT)', host, port));
      });
      server.listen(port, host, resolve);
    });
    closing.push(
      () =>
        new Promise<void>((resolve) => {
          ready = false;
          server.close(() => {
            resolve();
          });
          server.closeIdleConnections();
        }),
    );
    dispatcher.start();
    const address = server.address();
    const actual = typeof address === 'object' && address !== null ? address.port : port;
    const url = `http://${host.includes(':') ? `[${host}]` : host}:${actual}`;
    const token = store.access.open('sign-in', now, now + SIGN_IN_MS);
    log.info({ url, returnsPort: listener.port }, 'listening');
    return {
      url,
      returnsPort: listener.port,
      signInUrl: `${settings.publicUrl ?? url}/sign-in#token=${token}`,
      operatorSecret: secrets.operator,
      stop: undo,
    };
  } catch (error) {
    await undo();
    if (error instanceof EditionError || error instanceof FolderError) throw new StartError(error.message);
    throw error;
  }
}
