import { spawn, type ChildProcess } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { createInterface } from 'node:readline';
import { fileURLToPath } from 'node:url';
import { createClient, type Client, type Message, type NewMessage, type State } from '@verbalis/client';
import { writeMail } from '@verbalis/core/mime';
import { readConfig } from '@verbalis/service/settings';
import { SmtpConnection } from '@verbalis/service/smtp';
import type { ScriptedOutcome, Script } from '@verbalis/simulators';
import { makeHistory } from './history.js';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { stateWord } from '../words.js';

const DEMO = fileURLToPath(new URL('../../../../demo/', import.meta.url));
const CLI = fileURLToPath(new URL('../../bin/verbalis.js', import.meta.url));
const SPACE = 'harbour';
const CHAT_PORT = 8629;
/** The made-up weeks end at a whole half hour. */
const HISTORY_STEP_MS = 30 * 60_000;
/** The space that captures. */
const TRYING = 'drydock';
const REPORT_AFTER_MS = 400;
const PATIENCE_MS = 45_000;
const POLL_MS = 200;

export interface DemoOptions {
  readonly once?: boolean;
  readonly dir?: string;
}

/** What the simulator's script means for a delivery. */
const ENDINGS: Readonly<Record<ScriptedOutcome, { readonly state: State; readonly attempts: number; readonly words: string }>> = {
  accept: { state: 'accepted', attempts: 1, words: 'accepted' },
  refuse: { state: 'failed', attempts: 1, words: 'refused with 550 5.1.1' },
  'defer-twice': { state: 'accepted', attempts: 3, words: 'deferred twice with 451 4.7.1, then accepted' },
  'report-failed': { state: 'failed', attempts: 1, words: 'accepted, then reported as undeliverable' },
  'report-delivered': { state: 'delivered', attempts: 1, words: 'accepted, then reported as delivered' },
  complain: { state: 'complained', attempts: 1, words: 'accepted, then reported as unwanted' },
};

/** A child process that says one line of JSON when it is ready. */
async function started(
  file: string,
  args: readonly string[],
  env: NodeJS.ProcessEnv,
  children: ChildProcess[],
): Promise<Record<string, unknown>> {
  const child = spawn(process.execPath, [file, ...args], { env, stdio: ['pipe', 'pipe', 'pipe'] });
  children.push(child);
  let said = '';
  child.stderr.on('data', (bytes: Buffer) => {
    said = (said + bytes.toString()).slice(-4000);
  });
  const first = await new Promise<string>((resolveLine, reject) => {
    createInterface({ input: child.stdout }).once('line', resolveLine);
    child.once('exit', (code) => {
      reject(new UsageError(said.trim() === '' ? `A part of the demo ended with ${code ?? 'a signal'}.` : said.trim()));
    });
  });
  return JSON.parse(first) as Record<string, unknown>;
}

async function ended(children: readonly ChildProcess[]): Promise<void> {
  await Promise.all(
    [...children].reverse().map(
      (child) =>
        new Promise<void>((done) => {
          if (child.exitCode !== null || child.signalCode !== null) {
            done();
            return;
          }
          child.once('exit', () => {
            done();
          });
          child.kill('SIGTERM');
        }),
    ),
  );
}

/** Starts simulator and service, sends the demo's bookings through the API, and shows what became of them. */
export async function demo(options: DemoOptions, output: Output): Promise<ExitCode> {
  const dir = resolve(options.dir ?? '.demo');
  rmSync(dir, { recursive: true, force: true });
  mkdirSync(dir, { recursive: true });
  const operator = randomBytes(18).toString('base64url');
  const env: NodeJS.ProcessEnv = {
    ...process.env,
    VERBALIS_DATABASE_FILE: join(dir, 'verbalis.sqlite'),
    VERBALIS_SECRETS_FILE: join(dir, 'verbalis.secrets.json'),
    VERBALIS_OPERATOR_SECRET: operator,
  };
  const configFile = join(DEMO, 'verbalis.yaml');
  const { settings } = readConfig(configFile, env);
  const script = JSON.parse(readFileSync(join(DEMO, 'standin-script.json'), 'utf8')) as Script;
  const bookings = JSON.parse(readFileSync(join(DEMO, 'bookings.json'), 'utf8')) as NewMessage[];
  const more = JSON.parse(readFileSync(join(DEMO, 'more-bookings.json'), 'utf8')) as NewMessage[];
  const children: ChildProcess[] = [];
  try {
    const relay = settings.providers['north-relay'];
    if (relay?.kind !== 'smtp') throw new UsageError('The demo’s configuration has no provider "north-relay".');
    const simulator = join(dir, 'north-relay.json');
    writeFileSync(
      simulator,
      JSON.stringify({
        kind: 'smtp',
        name: 'north-relay',
        host: relay.host,
        port: relay.port,
        returnsTo: { host: settings.returns.host, port: settings.returns.port },
        reportAfterMs: REPORT_AFTER_MS,
        script,
      }),
    );
    const packet = settings.providers['packet-api'];
    if (packet?.kind !== 'http' || packet.callbacks?.signature.kind !== 'hmac-sha256')
      throw new UsageError('The demo’s configuration has no provider "packet-api" that calls back.');
    const packetUrl = new URL(packet.request.url);
    const { host: listenHost, port: listenPort } = settings.listen;
    const httpStandIn = join(dir, 'packet-api.json');
    writeFileSync(
      httpStandIn,
      JSON.stringify({
        kind: 'http',
        dialect: 'parcel',
        host: packetUrl.hostname,
        port: Number(packetUrl.port),
        key: packet.secrets['token'] ?? '',
        callsTo: {
          url: `http://${listenHost}:${listenPort}/v1/returns/packet-api`,
          secret: packet.callbacks.signature.secret,
          afterMs: REPORT_AFTER_MS,
        },
        script,
      }),
    );
    if (options.once !== true) {
      output.note('Two weeks of sailings, a storm among them, go through the real pipeline with a clock that is moved (about 40 s) …');
      const began = Date.now();
      const count = await makeHistory(readConfig(configFile, env), SPACE, operator, Math.floor(began / HISTORY_STEP_MS) * HISTORY_STEP_MS);
      output.note(`… ${count} emails sent and answered in ${Math.round((Date.now() - began) / 1000)} s.`);
    }
    output.note('Starting the simulator providers and the service …');
    await started(fileURLToPath(import.meta.resolve('@verbalis/simulators/main')), [simulator], process.env, children);
    await started(fileURLToPath(import.meta.resolve('@verbalis/simulators/main')), [httpStandIn], process.env, children);
    const south = settings.providers['south-relay'];
    if (south?.kind === 'smtp') {
      const southStandIn = join(dir, 'south-relay.json');
      writeFileSync(
        southStandIn,
        JSON.stringify({ ...(JSON.parse(readFileSync(simulator, 'utf8')) as object), name: 'south-relay', port: south.port }),
      );
      await started(fileURLToPath(import.meta.resolve('@verbalis/simulators/main')), [southStandIn], process.env, children);
    }
    const chatStandIn = join(dir, 'chat.json');
    writeFileSync(
      chatStandIn,
      JSON.stringify({ kind: 'chat', host: '127.0.0.1', port: Number(env['VERBALIS_DEMO_CHAT_PORT'] ?? CHAT_PORT) }),
    );
    const chat = await started(fileURLToPath(import.meta.resolve('@verbalis/simulators/main')), [chatStandIn], process.env, children);
    const chatUrl = `http://127.0.0.1:${Number(chat['port'])}`;
    const service = await started(CLI, ['serve', '--config', configFile, '--json'], env, children);
    const url = String(service['url']);

    const { key } = await createClient({ url, key: operator, space: SPACE }).keys.add({ name: 'demo', scopes: ['send', 'read', 'write'] });
    const client = createClient({ url, key });
    // Whatever an alert or a complaint says goes to the chat, in the chat's own payload.
    await createClient({ url, key: operator, space: SPACE }).subscriptions.add({
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
    output.note(`Sending ${bookings.length} bookings through POST ${url}/v1/messages …`);
    const asked: string[] = [];
    for (const booking of bookings)
      asked.push((await client.messages.send(booking, { idempotencyKey: `demo-${booking.reference ?? ''}` })).id);
    const early = await outcome(client, asked, script);
    output.note(`Pausing north-relay, and sending ${more.length} more: they go by packet-api, which calls back …`);
    const operatorClient = createClient({ url, key: operator, space: SPACE });
    await operatorClient.providers.pause('north-relay');
    const late: string[] = [];
    for (const booking of more) late.push((await client.messages.send(booking, { idempotencyKey: `demo-${booking.reference ?? ''}` })).id);
    const messages = [...early, ...(await outcome(client, late, script))];
    await operatorClient.providers.resume('north-relay');
    await fillDrydock(createClient({ url, key: operator, space: TRYING }), String(service['submissionPort']), output);
    const good = messages.every((message) => asScripted(message, script));
    output.out(outcomeTable(messages, script, output));
    if (options.once === true) return good ? 0 : 1;
    output.out(whereToLook({ url, signInUrl: String(service['signInUrl']), key, operator, chatUrl }, output));
    await new Promise<void>((done) => {
      process.once('SIGINT', () => {
        done();
      });
      process.once('SIGTERM', () => {
        done();
      });
    });
    return 0;
  } finally {
    await ended(children);
  }
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

function whereToLook(
  {
    url,
    signInUrl,
    key,
    operator,
    chatUrl,
  }: { readonly url: string; readonly signInUrl: string; readonly key: string; readonly operator: string; readonly chatUrl: string },
  { color }: Output,
): string {
  return [
    '',
    color.bold('Where to look'),
    `  Console (this link opens it once):  ${color.cyan(signInUrl)}`,
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
    '    npx verbalis alerts',
    `    npx verbalis captured list --space ${TRYING} --key ${operator}`,
    '',
    'End with Ctrl+C.',
  ].join('\n');
}
