import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, relative, resolve, sep } from 'node:path';
import { Writable } from 'node:stream';
import { createClient, type Client, type Message } from '@verbalis/client';
import { startService, type Clock, type Service } from '@verbalis/service';
import { readConfig } from '@verbalis/service/settings';
import { startSmtpProvider, type Script, type SmtpSimulator } from '@verbalis/simulators';
import { parse, stringify } from 'yaml';
import { LIMITS } from './limits.js';

export const ROOT = resolve(import.meta.dirname, '../..');
export const DEMO_FOLDER = join(ROOT, 'demo/mail');
const SENDER_DOMAIN = 'saltmarsh-ferries.example';
export const OPERATOR = 'the-operator-of-the-tests';

/** A booking that fits the demo's template. */
export function booking(to: string | { name: string; address: string }, reference = 'SM-1042') {
  return {
    template: 'booking-confirmed',
    to: [to],
    reference,
    data: {
      passenger: { givenName: 'Ása' },
      booking: { reference, currency: 'EUR', fares: [{ label: 'Adult', count: 2, amount: 4800 }], total: 4800 },
      sailing: {
        from: 'Brackwater',
        to: 'Tern Island',
        pier: 'Pier 2',
        vessel: 'MV Sandpiper',
        boardsAt: '2026-12-04T08:15:00Z',
        departsAt: '2026-12-04T08:45:00Z',
      },
      links: { manage: `https://saltmarsh-ferries.example/bookings/${reference}` },
    },
  };
}

export function temporaryFolder(): { path: string; remove: () => void } {
  const path = mkdtempSync(join(tmpdir(), 'verbalis-test-'));
  return { path, remove: () => rmSync(path, { recursive: true, force: true }) };
}

/** The longest pause between two looks, in milliseconds: asking a service fifty times a second kept it, and the test, busy with nothing else. */
const LONGEST_PAUSE_MS = 160;

/** The demo's mail folder with one template: a service in a process of its own compiles it in a fifth of the time. @returns its path */
export function smallMailFolder(within: string, template = 'booking-confirmed'): string {
  const path = join(within, 'mail');
  const isKept = (file: string): boolean => {
    const [top = '', name] = relative(DEMO_FOLDER, file).split(sep);
    return !['signals', 'schedules'].includes(top) && (top !== 'templates' || name === undefined || name === template);
  };
  cpSync(DEMO_FOLDER, path, { recursive: true, filter: isKept });
  return path;
}

/**
 * Waits until `look` gives something; the condition is asked for ever less often, no time is slept through.
 * @param more what else is known, for whoever reads that it was in vain
 */
export async function until<T>(look: () => T | undefined | Promise<T | undefined>, more: () => string = () => ''): Promise<T> {
  const patienceMs = LIMITS.condition;
  const end = Date.now() + patienceMs;
  for (let pauseMs = 5; ; pauseMs = Math.min(pauseMs * 1.5, LONGEST_PAUSE_MS)) {
    const found = await look();
    if (found !== undefined) return found;
    if (Date.now() > end) throw new Error(`Waited ${patienceMs} ms in vain for ${look.toString().slice(0, 200)}\n${more()}`);
    await new Promise((done) => setTimeout(done, pauseMs));
  }
}

export interface TestService {
  readonly service: Service;
  readonly client: Client;
  readonly key: string;
  readonly simulator: SmtpSimulator;
  readonly logs: string[];
  readonly folder: string;
  /** Changes the file of its configuration; a reload reads it. */
  readonly rewrite: (change: (settings: Record<string, any>) => void) => void;
  /** The message, once every delivery is in one of these states. */
  readonly ended: (id: string, ...states: string[]) => Promise<Message>;
  /** The bytes of a message as its first recipient got them: also of one whose sensitive data nobody else sees. */
  readonly received: (client: Client, id: string) => Promise<Buffer>;
  readonly stop: () => Promise<void>;
}

/** A service on free ports with a simulator provider, in this process. `change` is laid over its configuration. */
export async function startTestService(
  options: {
    script?: Script;
    change?: Record<string, unknown> | ((port: number) => Record<string, unknown>);
    provider?: { host: string; port: number };
    space?: string;
    clock?: Clock;
    /** Is called before its configuration is read. */
    before?: (folder: string) => void;
  } = {},
): Promise<TestService> {
  const { path, remove } = temporaryFolder();
  const returnsTo = { host: '127.0.0.1', port: 0 };
  const simulator = await startSmtpProvider({
    name: 'simulator',
    host: '127.0.0.1',
    port: 0,
    script: options.script ?? {},
    returnsTo,
    reportAfterMs: 10,
    keepsMail: true,
  });
  const file = join(path, 'verbalis.yaml');
  const logs: string[] = [];
  const settings: { spaces: Record<string, object> } & Record<string, unknown> = {
    listen: { port: 0 },
    returns: { port: 0, domain: 'returns.saltmarsh-ferries.example' },
    log: { level: 'info' },
    // No network here: keys sign at once. Tests of the DNS bring name servers of their own.
    dns: { check: false },
    dispatch: {
      retryByCause: {
        'rate-or-greylist': { firstSeconds: 0.05, growth: 1, mostSeconds: 1 },
        unreachable: { firstSeconds: 0.05, growth: 1, mostSeconds: 1 },
      },
    },
    providers: { relay: { kind: 'smtp', host: '127.0.0.1', port: simulator.port, ...options.provider } },
    spaces: {
      harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'] },
      drydock: { mode: 'capture', mailFolder: DEMO_FOLDER },
    },
    ...(typeof options.change === 'function' ? options.change(simulator.port) : options.change),
  };
  // The operator's word for the sender of the demo's mail folder; a test that is about senders gives its own.
  for (const [name, space] of Object.entries(settings.spaces)) settings.spaces[name] = { senderDomains: [SENDER_DOMAIN], ...space };
  writeFileSync(file, stringify(settings));
  const logTo = new Writable({
    write(chunk: Buffer, _encoding, done) {
      logs.push(chunk.toString());
      done();
    },
  });
  options.before?.(path);
  const service = await startService({
    config: readConfig(file, {}),
    reread: () => readConfig(file, {}),
    operatorSecret: OPERATOR,
    logTo,
    ...(options.clock === undefined ? {} : { clock: options.clock }),
  }).catch(async (error: unknown) => {
    await simulator.close();
    remove();
    throw error;
  });
  returnsTo.port = service.returnsPort;
  const { key } = await createClient({ url: service.url, key: OPERATOR, space: options.space ?? 'harbour' }).keys.add({
    name: 'test',
    scopes: ['send', 'read'],
  });
  const client = createClient({ url: service.url, key });
  return {
    service,
    client,
    key,
    simulator,
    logs,
    folder: path,
    rewrite: (change) => {
      const settings = parse(readFileSync(file, 'utf8')) as Record<string, unknown>;
      change(settings);
      writeFileSync(file, stringify(settings));
    },
    ended: (id, ...states) =>
      until(async () => {
        const message = await client.messages.get(id);
        return message.deliveries.every((delivery) => states.includes(delivery.state)) ? message : undefined;
      }),
    received: async (own, id) => {
      const [delivery] = await until(async () => {
        const { deliveries } = await own.messages.get(id);
        return deliveries.every(({ state }) => state !== 'queued' && state !== 'delayed') ? deliveries : undefined;
      });
      const bytes = simulator.seen.get(delivery?.address ?? '')?.mail;
      if (bytes === undefined) throw new Error(`The email of ${id} did not arrive.`);
      return Buffer.from(bytes);
    },
    stop: async () => {
      await service.stop();
      await simulator.close();
      remove();
    },
  };
}
