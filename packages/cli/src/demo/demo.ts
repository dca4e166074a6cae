import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { createClient, type Client, type Message, type NewMessage, type State } from '@verbalis/client';
import { writeMail } from '@verbalis/core/mime';
import { readConfig, type ReadConfig } from '@verbalis/service/settings';
import { SmtpConnection } from '@verbalis/service/smtp';
import type { NameServerSimulator, ScriptedOutcome, Script } from '@verbalis/simulators';
import { addDomains, enterRecords, startNames } from './domains.js';
import { makeHistory } from './history.js';
import { letPassengersWrite } from './passengers.js';
import { inviteColleagues, startAccounts } from './people.js';
import { moved, preparePlace, refuseTaken, type DemoPlace } from './place.js';
import { Processes } from './processes.js';
import { letScheduleRun, sendSignals, startApp } from './what-happened.js';
import { startChat, startProviders } from './simulators.js';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { stateWord } from '../words.js';

// In the package the demo is beside the code; in a checkout it is at the top.
const PACKED = fileURLToPath(new URL('../../demo/', import.meta.url));
export const SOURCE = existsSync(PACKED) ? PACKED : fileURLToPath(new URL('../../../../demo/', import.meta.url));
const CLI = fileURLToPath(new URL('../../bin/verbalis.js', import.meta.url));
const SPACE = 'harbour';
/** The made-up weeks end at a whole half hour. */
const HISTORY_STEP_MS = 30 * 60_000;
/** The space that captures. */
const TRYING = 'drydock';
const PATIENCE_MS = 45_000;
const POLL_MS = 200;

export interface DemoOptions {
  readonly once?: boolean;
  readonly dir?: string;
  /** The first of its ports. */
  readonly port?: string;
  /** Goes on with what an earlier demo made. */
  readonly keep?: boolean;
  /** Whether two weeks are made up before (the usual). */
  readonly weeks?: boolean;
}

/** Ports that the demo's files name, of what is not in its configuration. */
const [CHAT_PORT, APP_PORT] = [8629, 8631];

/** What the simulator's script means for a delivery. */
const ENDINGS: Readonly<Record<ScriptedOutcome, { readonly state: State; readonly attempts: number; readonly words: string }>> = {
  accept: { state: 'accepted', attempts: 1, words: 'accepted' },
  refuse: { state: 'failed', attempts: 1, words: 'refused with 550 5.1.1' },
  'defer-twice': { state: 'accepted', attempts: 3, words: 'deferred twice with 451 4.7.1, then accepted' },
  'report-failed': { state: 'failed', attempts: 1, words: 'accepted, then reported as undeliverable' },
  'report-delivered': { state: 'delivered', attempts: 1, words: 'accepted, then reported as delivered' },
  complain: { state: 'complained', attempts: 1, words: 'accepted, then reported as unwanted' },
};

/** Starts simulators and service, sends the demo's bookings through the API, and shows their outcomes. */
export async function demo(options: DemoOptions, output: Output): Promise<ExitCode> {
  const { once = false, keep = false, weeks: withWeeks = true } = options;
  if (once && keep) throw new UsageError('--once makes a new demo: leave out --keep.');
  const first = firstPort(options.port);
  // Before anything is removed: the demo before may still run.
  await refuseTaken(
    [...portsOf(readConfig(join(SOURCE, 'verbalis.yaml'), process.env).settings), CHAT_PORT, APP_PORT].map((n) => moved(n, first)),
  );
  const place = preparePlace(SOURCE, { dir: resolve(options.dir ?? '.demo'), first, keeps: keep });
  const operator = randomBytes(18).toString('base64url');
  const env: NodeJS.ProcessEnv = {
    ...process.env,
    VERBALIS_DATABASE_FILE: join(place.dir, 'verbalis.sqlite'),
    VERBALIS_SECRETS_FILE: join(place.dir, 'verbalis.secrets.json'),
    VERBALIS_OPERATOR_SECRET: operator,
  };
  const configFile = join(place.files, 'verbalis.yaml');
  const config = readConfig(configFile, env);
  const parts = new Parts();
  try {
    // Beside the made-up weeks: each of its processes needs a second. What fails is reported when both have ended.
    const [weeks, outside] = await Promise.allSettled([
      once || keep || !withWeeks ? undefined : makeWeeks(config, operator, output),
      startOutside({ place, first, settings: config.settings }, parts),
    ]);
    if (weeks.status === 'rejected') throw weeks.reason;
    if (outside.status === 'rejected') throw outside.reason;
    const run = await startAll({ place, first, env, config, configFile, operator, outside: outside.value }, parts, output);
    const messages = keep ? [] : await fill(run, { once }, output);
    if (once) return messages.every((message) => asScripted(message, run.script)) ? 0 : 1;
    output.out(whereToLook(run, output));
    await stopSignal();
    return 0;
  } finally {
    await parts.end();
  }
}

function firstPort(given: string | undefined): number | undefined {
  if (given === undefined) return undefined;
  const port = Number(given);
  if (Number.isInteger(port) && port >= 1024 && port <= 65_000) return port;
  throw new UsageError(
    `"${given}" is not a port that a demo can begin at.`,
    'Give a number from 1024 to 65000: verbalis demo --port 18620',
  );
}

/** The ports that the service and the simulators of a configuration need. */
function portsOf({ listen, returns, submission, dns, providers, people }: ReadConfig['settings']): number[] {
  const urls = [...Object.values(providers).flatMap((provider) => (provider.kind === 'http' ? [provider.request.url] : []))];
  if (people.openid !== undefined) urls.push(people.openid.issuer);
  const relays = Object.values(providers).flatMap((provider) => (provider.kind === 'smtp' ? [provider.port] : []));
  const own = [listen.port, returns.port, ...(submission.port === undefined ? [] : [submission.port]), dns.port];
  return [...own, ...relays, ...urls.map((url) => Number(new URL(url).port))];
}

/** What runs in this demo. */
class Parts {
  readonly processes = new Processes();
  readonly closing: { readonly close: () => Promise<void> }[] = [];

  async end(): Promise<void> {
    await this.processes.end();
    await Promise.all(this.closing.map((part) => part.close()));
  }
}

interface OutsideOptions {
  readonly place: DemoPlace;
  /** Of its ports. */
  readonly first: number | undefined;
  readonly settings: ReadConfig['settings'];
}

interface Started {
  readonly place: DemoPlace;
  /** Of its ports. */
  readonly first: number | undefined;
  readonly env: NodeJS.ProcessEnv;
  readonly config: ReadConfig;
  readonly configFile: string;
  readonly operator: string;
  readonly outside: Outside;
}

/** What is outside of Verbalis, as stand-ins. */
interface Outside {
  readonly script: Script;
  readonly chatUrl: string;
  readonly names: NameServerSimulator;
}

/** Starts the stand-ins: providers, a chat, a name server, the colleagues' accounts. */
async function startOutside({ place: { dir }, first, settings }: OutsideOptions, parts: Parts): Promise<Outside> {
  const script = readDemo<Script>('simulator-script.json');
  const [names, chatUrl] = await Promise.all([
    startNames({ host: '127.0.0.1', port: settings.dns.port }).then((started) => {
      // Closed also where one of the others does not start.
      parts.closing.push(started);
      return started;
    }),
    startChat(parts.processes, { dir, port: moved(CHAT_PORT, first) }),
    startProviders(parts.processes, { dir, settings, script }),
  ]);
  if (settings.people.openid !== undefined) parts.closing.push(await startAccounts(settings.people.openid));
  return { script, chatUrl, names };
}

/** A demo that runs. */
interface DemoRun {
  readonly place: DemoPlace;
  readonly url: string;
  readonly signInUrl: string;
  readonly submissionPort: string;
  readonly returnsPort: number;
  readonly chatUrl: string;
  readonly operator: string;
  readonly admin: Client;
  /** What an app would use. */
  readonly client: Client;
  readonly key: string;
  readonly names: NameServerSimulator;
  readonly script: Script;
}

async function startAll(
  { place, first, env, config, configFile, operator, outside: { script, chatUrl, names } }: Started,
  parts: Parts,
  output: Output,
): Promise<DemoRun> {
  const { settings } = config;
  output.note('Starting the service …');
  const started = await parts.processes.start(CLI, ['serve', '--config', configFile, '--json', '--sign-in-link'], env);
  const service = started['result'] as Record<string, unknown>;
  const url = String(service['url']);
  const admin = createClient({ url, key: operator, space: SPACE });
  parts.closing.push(await startApp(moved(APP_PORT, first), [admin, createClient({ url, key: operator, space: TRYING })]));
  const { key } = await admin.keys.add({ name: 'demo', scopes: ['send', 'read', 'write'] });
  const [signInUrl, submissionPort] = [String(service['signInUrl']), String(service['submissionPort'])];
  const client = createClient({ url, key });
  const { port: returnsPort } = settings.returns;
  const run = { place, url, signInUrl, submissionPort, returnsPort, chatUrl, operator, admin, client, key, names, script };
  if ((await admin.domains.list()).domains.length > 0) await enterRecords(admin, names);
  return run;
}

/** Sets up what the service does not have yet, and sends what the demo is about. @returns the bookings with their outcomes */
async function fill(run: DemoRun, { once }: { readonly once: boolean }, output: Output): Promise<Message[]> {
  const { url, admin, client, operator, script, names, returnsPort, place } = run;
  await subscribeChat(admin, run.chatUrl);
  await addDomains(admin, names, returnsPort);
  await inviteColleagues(admin);
  const messages = await sendBookings(run, output);
  if (!once) {
    await sendSignals(client, join(place.files, 'mail'), output);
    await letScheduleRun(admin, output);
    await letPassengersWrite({ admin, client, port: returnsPort, names, folder: SOURCE, messages }, output);
  }
  await fillDrydock(createClient({ url, key: operator, space: TRYING }), run.submissionPort, output);
  output.out(outcomeTable(messages, script, output));
  return messages;
}

function readDemo<T>(file: string): T {
  return JSON.parse(readFileSync(join(SOURCE, file), 'utf8')) as T;
}

function stopSignal(): Promise<void> {
  return new Promise((done) => {
    for (const signal of ['SIGINT', 'SIGTERM'] as const)
      process.once(signal, () => {
        done();
      });
  });
}

async function makeWeeks(config: ReadConfig, operator: string, output: Output): Promise<void> {
  output.note('Two weeks of sailings, a storm among them, go through the real pipeline with a clock that is moved (about a minute) …');
  const began = Date.now();
  const begin = Math.floor(began / HISTORY_STEP_MS) * HISTORY_STEP_MS;
  const count = await makeHistory(config, { space: SPACE, operator, begin });
  output.note(`… ${count} emails sent and answered in ${Math.round((Date.now() - began) / 1000)} s.`);
}

/** Whatever an alert or a complaint says goes to the chat, in the chat's own payload. */
async function subscribeChat(admin: Client, chatUrl: string): Promise<void> {
  await admin.subscriptions.add({
    name: 'harbour office chat',
    url: `${chatUrl}/hooks/harbour-office`,
    filter: 'type in [alert-firing, alert-resolved, complained]',
    payload: {
      $if: 'event.data.text',
      $value: { text: '{{ event.data.text }}' },
      $else: { text: '{{ event.data.address }} complains about “{{ event.data.subject }}”.' },
    },
    handshake: false,
  });
}

/** Sends bookings by one provider, and with that one paused by the other. @returns the messages with their outcomes */
async function sendBookings({ url, admin, client, script }: DemoRun, output: Output): Promise<Message[]> {
  const send = async (bookings: readonly NewMessage[]): Promise<Message[]> => {
    const ids: string[] = [];
    for (const booking of bookings)
      ids.push((await client.messages.send(booking, { idempotencyKey: `demo-${booking.reference ?? ''}` })).id);
    return outcome(client, ids, script);
  };
  const bookings = readDemo<NewMessage[]>('bookings.json');
  const more = readDemo<NewMessage[]>('more-bookings.json');
  output.note(`Sending ${bookings.length} bookings through POST ${url}/v1/messages …`);
  const early = await send(bookings);
  output.note(`Pausing north-relay, and sending ${more.length} more: they go by packet-api, which calls back …`);
  await admin.providers.pause('north-relay');
  const late = await send(more);
  await admin.providers.resume('north-relay');
  return [...early, ...late];
}

/** One mail of every template goes to the capturing space, from its sample, and one by plain SMTP as an app of any language hands it in. */
async function fillDrydock(client: Client, port: string, output: Output): Promise<void> {
  output.note('Sending one of each template to the space that captures …');
  const { templates } = await client.templates.list();
  for (const { name } of templates) {
    const { data } = await client.templates.get(name);
    const sample = data['typical'];
    if (sample === undefined) continue;
    await client.messages.send({ template: name, to: [`Ása Jóns <asa.${name}@post.example>`], data: sample as Record<string, unknown> });
  }
  const connection = new SmtpConnection({ host: '127.0.0.1', port: Number(port), helloName: 'harbour-till.example' });
  const from = { name: 'Harbour till', local: 'till', domain: 'saltmarsh-ferries.example' };
  const to = 'nour@post.example';
  const mail = writeMail({
    from,
    to: [{ name: 'Nour', local: 'nour', domain: 'post.example' }],
    subject: 'Your receipt from the pier kiosk',
    messageId: 'kiosk-77@saltmarsh-ferries.example',
    date: Date.now(),
    text: 'Two coffees and a map of the tidal path: EUR 9.40.\n\nhttps://saltmarsh-ferries.example/receipts/77\n',
    boundary: '=_kiosk',
  });
  const opened = await connection.open();
  const outcome = opened === 'ready' ? await connection.deliver({ from: 'till@saltmarsh-ferries.example', to }, mail) : opened;
  connection.close();
  if (outcome.kind !== 'accepted') output.note(`The email by SMTP was not accepted: ${outcome.reason ?? outcome.kind}`);
}

function fateOf(address: string, script: Script): ScriptedOutcome {
  return script[address.toLowerCase()] ?? 'accept';
}

function asScripted(message: Message, script: Script): boolean {
  return message.deliveries.every((delivery) => {
    const wanted = ENDINGS[fateOf(delivery.address, script)];
    return (
      delivery.state === wanted.state &&
      delivery.attempts.length === wanted.attempts &&
      (delivery.state !== 'failed' || delivery.cause === 'mailbox-unknown')
    );
  });
}

/** Waits until all has come out as the script says, or patience ends. */
async function outcome(client: Client, ids: readonly string[], script: Script): Promise<Message[]> {
  const until = Date.now() + PATIENCE_MS;
  for (;;) {
    const messages = await Promise.all(ids.map((id) => client.messages.get(id)));
    if (messages.every((message) => asScripted(message, script)) || Date.now() > until) return messages;
    await new Promise((done) => setTimeout(done, POLL_MS));
  }
}

function outcomeTable(messages: readonly Message[], script: Script, { color }: Output): string {
  const rows = messages.flatMap((message) =>
    message.deliveries.map((delivery) => [
      message.reference ?? '',
      delivery.address,
      ENDINGS[fateOf(delivery.address, script)].words,
      String(delivery.attempts.length),
      stateWord(delivery.state, color),
      asScripted(message, script) ? color.green('as scripted') : color.red('NOT as scripted'),
    ]),
  );
  return tableText(
    [
      { title: 'booking' },
      { title: 'to' },
      { title: 'the simulator’s script' },
      { title: 'attempts', right: true },
      { title: 'state' },
      { title: '' },
    ],
    rows,
    color,
  );
}

function whereToLook({ url, signInUrl, key, operator, chatUrl }: DemoRun, { color }: Output): string {
  return [
    '',
    color.bold('Where to look'),
    `  Console (this link opens it once, within 15 minutes):  ${color.cyan(signInUrl)}`,
    `  Or as a colleague:                  ${color.cyan(url)} with “Saltmarsh accounts”`,
    `  API document:                       ${url}/v1/openapi.json`,
    `  The simulated chat (alerts):        ${color.cyan(chatUrl)}`,
    '  On the command line, in another terminal:',
    `    export VERBALIS_URL=${url} VERBALIS_KEY=${key}`,
    '    npx verbalis messages list',
    '    npx verbalis messages list --state failed',
    '    npx verbalis messages show MESSAGE',
    '    npx verbalis returns list',
    '    npx verbalis suppressions list',
    '    npx verbalis figures --days 16 --by cause',
    "    npx verbalis events --filter 'type in [failed, complained]'",
    '    npx verbalis domains show curlew-charters.example',
    '    npx verbalis domains reports saltmarsh-ferries.example',
    '    npx verbalis alerts',
    '    npx verbalis signals list',
    '    npx verbalis schedules show pier-bulletin',
    `    npx verbalis captured list --space ${TRYING} --key ${operator}`,
    '',
    'End with Ctrl+C.',
  ].join('\n');
}
