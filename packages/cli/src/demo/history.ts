import { createHash } from 'node:crypto';
import { createClient, type Client, type NewMessage } from '@verbalis/client';
import { startService } from '@verbalis/service';
import { SCHEDULE } from './what-happened.js';
import type { ReadConfig } from '@verbalis/service/settings';
import { startSmtpProvider, type Behaviour, type SmtpSimulator } from '@verbalis/simulators';
import { movedClock } from './moved-clock.js';
import { demoReaders, isFollowed } from './readers.js';

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const DAY = 24 * HOUR;
/** Days of made-up sailings before the demo begins. */
const DAYS = 16;
/** Days before the demo's beginning. */
const STORM = 9;
/** What lies within the same so many minutes happens together, so that weeks pass in seconds. */
const STEP = 30 * MINUTE;
/** A number from 0 to 1 that is the same for the same words: the demo's weeks are the same every time. */
function chance(...words: readonly (string | number)[]): number {
  return createHash('sha256').update(words.join('|')).digest().readUInt32BE(0) / 2 ** 32;
}

function pick<T>(list: readonly T[], ...words: readonly (string | number)[]): T {
  return list[Math.floor(chance(...words) * list.length)] as T;
}

const GIVEN = [
  'Ása',
  'Émile',
  'Jonas',
  'Nour',
  'Misaki',
  'Owen',
  'Liv',
  'Tomás',
  'Ingrid',
  'Kofi',
  'Maren',
  'Pia',
  'Olaf',
  'Hana',
  'Zoë',
  'Idris',
  'Sunniva',
  'Bruno',
  'Wanda',
  'Yusuf',
];
const DOMAINS = [
  'post.example',
  'fjordpost.example',
  'harbourmail.example',
  'correio.example',
  'mail.test',
  'tern-island.example',
  'yubin.test',
  'letterbox.example',
];
const PLACES = [
  ['Brackwater', 'Tern Island'],
  ['Tern Island', 'Oldquay'],
  ['Oldquay', 'Brackwater'],
] as const;

/** What the bulletin brings: three links. */
const STORIES = [
  {
    title: 'A new ramp at Oldquay',
    text: 'From Monday on, cars board by the new ramp. It is wider, and it does not freeze.',
    link: 'https://saltmarsh-ferries.example/news/ramp',
  },
  {
    title: 'Winter sailings',
    text: 'The last boat leaves Tern Island at 19:10 until March.',
    link: 'https://saltmarsh-ferries.example/news/winter?from=bulletin#times',
  },
  {
    title: 'Seals on the slipway',
    text: 'Please keep your distance; they were here first.',
    link: 'https://saltmarsh-ferries.example/news/seals',
  },
];

interface Passenger {
  readonly name: string;
  readonly address: string;
}

function passenger(n: number): Passenger {
  const name = pick(GIVEN, 'name', n);
  const local = name
    .normalize('NFD')
    .replace(/[^A-Za-z]/g, '')
    .toLowerCase();
  return { name, address: `${local}.${n}@${pick(DOMAINS, 'domain', n)}` };
}

/** What a mail system does with a recipient at a time: most take it and say so, some do not. */
function behaviourOf(provider: string, begin: number) {
  const storm = begin - STORM * DAY;
  return (to: string, tries: number, now: number): Behaviour => {
    const taken = { code: 250, enhanced: '2.1.5', text: 'OK' };
    const dice = chance('outcome', to);
    const day = Math.floor(now / DAY);
    // In the storm one provider is down for two hours.
    if (provider === 'north-relay' && now >= storm + 10 * HOUR && now < storm + 12 * HOUR)
      return { answer: { code: 421, enhanced: '4.3.2', text: 'Service shutting down, the mains have failed' } };
    if (dice < 0.012) return { answer: { code: 550, enhanced: '5.1.1', text: `<${to}>: Recipient address rejected: User unknown` } };
    if (dice < 0.05 && tries === 1)
      return { answer: { code: 451, enhanced: '4.7.1', text: `<${to}>: Greylisted, please come back later` } };
    const after = (minutes: number): number => Math.ceil((now + minutes * MINUTE) / STEP) * STEP - now;
    // After it, many mailboxes are full.
    if (now > storm + 14 * HOUR && now < storm + 44 * HOUR && chance('full', to, day) < 0.22)
      return {
        answer: taken,
        later: { afterMs: after(20), what: 'failed', status: '5.2.2', diagnostic: `552 5.2.2 <${to}>: Mailbox full, quota exceeded` },
      };
    const luck = chance('luck', to, day, tries);
    if (luck < 0.008)
      return {
        answer: taken,
        later: { afterMs: after(90), what: 'failed', status: '5.1.1', diagnostic: `550 5.1.1 <${to}>: no such user here` },
      };
    if (luck < 0.014)
      return {
        answer: taken,
        later: { afterMs: after(60), what: 'failed', status: '5.7.1', diagnostic: '550 5.7.1 Message rejected as spam by content filter' },
      };
    if (luck < 0.018) return { answer: taken, later: { afterMs: after(400), what: 'complained' } };
    if (luck < 0.82) return { answer: taken, later: { afterMs: after(1 + 25 * luck), what: 'delivered' } };
    return { answer: taken };
  };
}

type Samples = Readonly<Record<string, Record<string, unknown>>>;

/** What Saltmarsh Ferries writes in one step of time. */
function emailsOf(at: number, begin: number, samples: Samples): NewMessage[] {
  const out: NewMessage[] = [];
  const storm = begin - STORM * DAY;
  const hour = new Date(at).getUTCHours();
  const day = Math.floor(at / DAY);
  if (hour < 6 || hour > 21) return out;
  const make = (template: string, to: Passenger, change: Record<string, unknown> = {}, more: Partial<NewMessage> = {}): NewMessage => ({
    template,
    to: [to],
    data: { ...samples[template], ...change },
    labels: { channel: pick(['web', 'app', 'kiosk'], 'channel', to.address) },
    ...more,
  });
  const someone = (...words: readonly (string | number)[]): Passenger => passenger(Math.floor(chance('who', at, ...words) * 1400));
  const weekend = [0, 6].includes(new Date(at).getUTCDay());
  const bookings = Math.round((weekend ? 3.2 : 2) * (0.5 + chance('how many', at)) * (hour > 8 && hour < 20 ? 1.3 : 0.5));
  for (let i = 0; i < bookings; i += 1) {
    const to = someone('booking', i);
    const number = 10_000 + ((day * 61 + hour * 7 + i * 13 + Math.floor(at / STEP)) % 89_999);
    const [from, port] = pick(PLACES, 'line', at, i);
    const sailing = { ...(samples['booking-confirmed']?.['sailing'] as object), from, to: port };
    out.push(
      make(
        'booking-confirmed',
        to,
        {
          passenger: { givenName: to.name },
          booking: { ...(samples['booking-confirmed']?.['booking'] as object), reference: `SM-${number}` },
          sailing,
        },
        { reference: `SM-${number}` },
      ),
    );
  }
  for (let i = 0; i < Math.round(2.4 * chance('codes', at)); i += 1) out.push(make('sign-in-code', someone('code', i)));
  if (hour === 17 && at % HOUR === 0) for (let i = 0; i < 14; i += 1) out.push(make('boarding-reminder', someone('reminder', i)));
  if (chance('refund', at) < 0.12) out.push(make('refund-receipt', someone('refund')));
  if (chance('lost', at) < 0.03) out.push(make('lost-property-found', someone('lost')));
  // News on Wednesdays; in the storm, most sailings are cancelled.
  if (new Date(at).getUTCDay() === 3 && hour === 9 && at % HOUR === 0)
    for (let i = 0; i < 130; i += 1) out.push(make('pier-bulletin', passenger(i * 7 + 3), { stories: STORIES }));
  const inStorm = at - storm;
  if (inStorm >= 7 * HOUR && inStorm < 13 * HOUR) for (let i = 0; i < 34; i += 1) out.push(make('sailing-cancelled', someone('storm', i)));
  return out;
}

export interface HistoryInput {
  readonly space: string;
  readonly operator: string;
  /** When the demo begins, and the made-up weeks end (milliseconds). */
  readonly begin: number;
}

/**
 * Weeks of made-up sailings, sent and answered by the real pipeline against simulators with a clock that is moved: nothing is written into
 * tables by hand. @returns how many emails were sent
 */
export async function makeHistory(config: ReadConfig, { space, operator, begin }: HistoryInput): Promise<number> {
  const start = begin - DAYS * DAY;
  const clock = movedClock(start);
  const returnsTo = { host: '127.0.0.1', port: 0 };
  const simulators: SmtpSimulator[] = [];
  for (const name of RELAYS) {
    const behaviour = behaviourOf(name, begin);
    simulators.push(
      await startSmtpProvider({ name, host: '127.0.0.1', port: 0, script: {}, behaviour, clock, returnsTo, reportAfterMs: 0 }),
    );
  }
  const ports = simulators.map(({ port }) => port);
  const service = await startService({ config: historyConfig(config, space, ports), clock: clock.coarse(), operatorSecret: operator });
  returnsTo.port = service.returnsPort;
  clock.busy = () => {
    service.writeNow();
    return service.busy() || simulators.some((simulator) => simulator.busy());
  };
  let sent = 0;
  try {
    const client: Client = createClient({ url: service.url, key: operator, space });
    // The app that says who gets the bulletin does not run yet.
    await client.schedules.pause(SCHEDULE);
    const samples = await typicalData(client);
    const readers = demoReaders(client, service.url, chance);
    for (let at = start; at < begin; at += STEP) {
      await clock.moveTo(at);
      await readers.act(at);
      const messages = emailsOf(at, begin, samples);
      if (messages.length === 0) continue;
      // All or none: what the demo sends has no mistakes, and one must not go unseen.
      const { results } = await client.messages.sendBatch({ mode: 'all', messages });
      sent += messages.length;
      await clock.moveTo(at + MINUTE);
      await readers.sent(
        results.flatMap(({ id }, i) => (id !== undefined && isFollowed(messages[i]?.template) ? [id] : [])),
        at,
      );
    }
    await clock.moveTo(begin);
  } finally {
    await service.stop();
    await Promise.all(simulators.map((simulator) => simulator.close()));
  }
  return sent;
}

const RELAYS = ['north-relay', 'south-relay'] as const;

/** The demo's configuration with simulators on free ports, and without what a moved clock would trip over. */
function historyConfig(config: ReadConfig, space: string, ports: readonly number[]): ReadConfig {
  const { settings } = config;
  const usual = settings.spaces[space];
  const relay = settings.providers['north-relay'];
  if (usual === undefined || relay?.kind !== 'smtp') throw new Error('The demo’s configuration has no such space and provider.');
  const route = [
    { provider: 'north-relay', share: 70 },
    { provider: 'south-relay', share: 30 },
  ];
  return {
    ...config,
    settings: {
      ...settings,
      listen: { ...settings.listen, port: 0 },
      returns: { ...settings.returns, port: 0, limits: { ...settings.returns.limits, perMinute: 100_000 } },
      submission: { ...settings.submission, port: undefined, openTo: undefined },
      log: { level: 'fatal' },
      // As in life: a server that greylists is asked again after minutes.
      dispatch: { ...settings.dispatch, retryByCause: {} },
      providers: Object.fromEntries(RELAYS.map((name, i) => [name, { ...relay, port: ports[i] ?? 0 }])),
      spaces: { [space]: { ...usual, route } },
    },
  };
}

async function typicalData(client: Client): Promise<Samples> {
  const { templates } = await client.templates.list();
  const data = await Promise.all(
    templates.map(async ({ name }) => [name, (await client.templates.get(name)).data['typical'] ?? {}] as const),
  );
  return Object.fromEntries(data) as Samples;
}
