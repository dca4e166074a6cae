import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Client } from '@verbalis/client';
import { startRecipientSource, type RecipientSource } from '@verbalis/simulators';
import type { Output } from '../output.js';

export const SCHEDULE = 'pier-bulletin';
const GUESTS = 8;

const STORIES = [
  {
    title: 'A new ramp at Oldquay',
    text: 'From Monday on, cars board by the new ramp. It is wider, and it does not freeze.',
    link: 'https://saltmarsh-ferries.example/news/ramp',
  },
  { title: 'Seals on the slipway', text: 'Please keep your distance; they were here first.' },
];

/** What the app knows: who wants the bulletin, and what it says this week. One of its addresses is invalid. */
function recipientsOf(plannedAt: string | undefined): object[] {
  const from = plannedAt === undefined ? new Date() : new Date(plannedAt);
  const day = (days: number): Date => new Date(from.getTime() + days * 86_400_000);
  const data = {
    week: Math.ceil((from.getTime() - Date.UTC(from.getUTCFullYear(), 0, 1)) / (7 * 86_400_000)),
    from: from.toISOString().slice(0, 10),
    stories: STORIES,
    tides: [0, 1].map((days) => ({ at: day(days).toISOString(), metres: 3.4 + days / 4 })),
  };
  const guests = Array.from({ length: GUESTS }, (_, i) => ({ to: `guest.${i + 1}@mailbox.example`, data }));
  return [...guests.slice(0, 3), { to: 'the harbour master', data }, ...guests.slice(3)];
}

/**
 * Starts the part of the demo's app that says who wants the bulletin. @param port where the schedule of its mail folder asks
 * @param spaces that may ask it
 */
export async function startApp(port: number, spaces: readonly Client[]): Promise<RecipientSource> {
  const secrets = await Promise.all(spaces.map(async (space) => (await space.bulkSends.secret()).secret));
  return startRecipientSource({
    host: '127.0.0.1',
    port,
    secrets: () => secrets,
    recipients: ({ plannedAt }) => recipientsOf(plannedAt),
  });
}

/** Says what has happened, from the samples of the mail folder: a booking is paid, another one is canceled, a thing is found and collected. */
export async function sendSignals(client: Client, mailFolder: string, output: Output): Promise<void> {
  output.note('Saying what happened, by signals: rules of the mail folder say which emails follow …');
  const sample = (name: string) =>
    JSON.parse(readFileSync(join(mailFolder, `signals/samples/${name}.json`), 'utf8')) as {
      readonly type: string;
      readonly source: string;
      readonly subject?: string;
      readonly data: Record<string, unknown>;
    };
  for (const name of ['booking-paid', 'booking-cancelled', 'item-found', 'item-collected']) {
    const { type, source, subject, data } = sample(name);
    await client.signal(type, data, { source, ...(subject === undefined ? {} : { subject }) });
  }
  const { type, source, data } = sample('booking-paid');
  const booking = { ...(data['booking'] as object), reference: 'SM-1099', isTest: true };
  await client.signal(type, { ...data, booking }, { source, subject: 'SM-1099' });
  await client.signal('ramp.closed', { ramp: 2, until: 'Friday' }, { source: '/piers', subject: 'ramp 2' });
}

/** The weekly bulletin runs once out of turn, so that there is a run to look at, and one of its next times is left out. */
export async function letScheduleRun(admin: Client, output: Output): Promise<void> {
  output.note('Running the weekly bulletin out of turn; the app says who gets it …');
  await admin.schedules.resume(SCHEDULE);
  await admin.schedules.run(SCHEDULE);
  const [, , third] = (await admin.schedules.get(SCHEDULE)).next;
  if (third !== undefined) await admin.schedules.skip(SCHEDULE, { at: third.at });
}
