import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe as group, expect, test } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { startRecipientSource, type RecipientSource } from '@verbalis/simulators';
import { runCli } from './support/cli.js';
import { movableClock, type MovableClock } from './support/clock.js';
import { PUBLIC } from './support/links.js';
import { DEMO_FOLDER, OPERATOR, startTestService, temporaryFolder, until, type TestService } from './support/service.js';

// One template to many, at times that come again.

const DATA = JSON.parse(readFileSync(join(DEMO_FOLDER, 'templates/pier-bulletin/samples/typical.json'), 'utf8')) as Record<string, unknown>;
const MINUTE = 60_000;
const weekly = (source: string, more = ''): string => `starts: 2026-01-02T05:00
timeZone: Europe/Paris
repeat: FREQ=WEEKLY;BYDAY=FR
template: pier-bulletin
recipientSource: ${source}
${more}`;

interface Started extends TestService {
  readonly clock: MovableClock;
  readonly operator: Client;
  readonly source: RecipientSource;
  readonly mail: string;
  /** Lets time pass until something is so. */
  readonly once: <T>(look: () => Promise<T | undefined>) => Promise<T>;
}

/** A service at a moment, with a mail folder of its own that has schedules, and an app that knows who wants the bulletin. */
async function within(
  start: string,
  schedules: (url: string) => Record<string, string>,
  run: (all: Started) => Promise<void>,
): Promise<void> {
  const clock = movableClock(Date.parse(start));
  const folder = temporaryFolder();
  const mail = join(folder.path, 'mail');
  cpSync(DEMO_FOLDER, mail, { recursive: true });
  rmSync(join(mail, 'schedules'), { recursive: true, force: true });
  let secret: string | undefined;
  const source = await startRecipientSource({
    host: '127.0.0.1',
    port: 0,
    pageSize: 2,
    now: clock.now,
    secrets: () => (secret === undefined ? [] : [secret]),
    recipients: ({ plannedAt }) => ['asa', 'nour', 'liv'].map((who) => ({ to: `${who}@post.example`, data: DATA, reference: plannedAt })),
  });
  mkdirSync(join(mail, 'schedules/recipients'), { recursive: true });
  for (const [name, text] of Object.entries(schedules(source.url))) writeFileSync(join(mail, 'schedules', name), text);
  const spaces = { harbour: { mode: 'deliver', mailFolder: mail, route: ['relay'] } };
  const all = await startTestService({ clock, change: { publicUrl: PUBLIC, outside: { allow: ['127.0.0.1'] }, spaces } });
  clock.busy = all.service.busy;
  try {
    const operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
    ({ secret } = await operator.bulkSends.secret());
    const once: Started['once'] = (look) =>
      until(async () => {
        await clock.move(600);
        return look();
      });
    await run({ ...all, clock, operator, source, mail, once });
  } finally {
    await all.stop();
    await source.close();
    folder.remove();
  }
}

/** Comes to a moment: by a jump to a few minutes before it, and from there on as time passes. */
async function to({ clock }: Started, text: string): Promise<void> {
  clock.jump(Date.parse(text) - 2 * MINUTE - clock.now());
  await clock.move(2 * MINUTE);
}

const doneRun = ({ client, once }: Started, name: string, n: number) =>
  once(async () => {
    const { runs } = await client.schedules.runs(name);
    const bulk = runs[0]?.bulkSend === undefined ? undefined : await client.bulkSends.get(runs[0].bulkSend);
    return runs.length === n && bulk?.state === 'done' && bulk.deliveries['queued'] === undefined ? { runs, bulk } : undefined;
  });

group('a schedule', () => {
  test('is seen before it runs, and runs at its hour in its zone as a bulk send of its own', () =>
    within(
      '2026-03-27T03:30:00Z',
      (url) => ({ 'weekly.yaml': weekly(`{ url: "${url}" }`) }),
      async (all) => {
        const { client, clock, simulator, source } = all;
        const listed = await all.once(async () =>
          (await client.schedules.list()).schedules.length === 1 ? client.schedules.list() : undefined,
        );
        expect(listed).toMatchObject({ edition: 1, schedules: [{ name: 'weekly', state: 'active', source: 'url', from: source.url }] });
        expect((await client.schedules.get('weekly')).next.map(({ at }) => at)).toEqual([
          '2026-03-27T04:00:00.000Z',
          '2026-04-03T03:00:00.000Z',
          '2026-04-10T03:00:00.000Z',
          '2026-04-17T03:00:00.000Z',
          '2026-04-24T03:00:00.000Z',
        ]);
        await to(all, '2026-03-27T03:59:00Z');
        expect((await client.schedules.runs('weekly')).runs).toEqual([]);
        await clock.move(2 * MINUTE);
        const { runs, bulk } = await doneRun(all, 'weekly', 1);
        expect(runs).toMatchObject([{ state: 'started', manual: false, plannedAt: '2026-03-27T04:00:00.000Z' }]);
        expect(bulk).toMatchObject({
          name: 'weekly',
          accepted: 3,
          refused: 0,
          run: { schedule: 'weekly', plannedAt: '2026-03-27T04:00:00.000Z' },
        });
        expect(source.asked).toMatchObject([
          { cursor: null, run: { schedule: 'weekly', plannedAt: '2026-03-27T04:00:00.000Z', template: 'pier-bulletin' } },
          { cursor: '2' },
        ]);
        expect([...simulator.seen.values()].map(({ address, taken }) => [address, taken]).sort()).toEqual([
          ['asa@post.example', 1],
          ['liv@post.example', 1],
          ['nour@post.example', 1],
        ]);
        const { messages } = await client.messages.list({ reference: '2026-03-27T04:00:00.000Z' });
        expect(messages).toHaveLength(3);
      },
    ));

  test('can be left out once, paused, resumed, and run out of turn for the first of its recipients', () =>
    within(
      '2026-11-25T09:00:00Z',
      (url) => ({ 'weekly.yaml': weekly(`{ url: "${url}" }`) }),
      async (all) => {
        const { client, once } = all;
        await once(async () => ((await client.schedules.list()).schedules.length === 1 ? true : undefined));
        const skipped = await client.schedules.skip('weekly', { at: '2026-12-04T05:00:00+01:00' });
        expect(skipped.next.map(({ at, skipped }) => [at.slice(0, 10), skipped]).slice(0, 3)).toEqual([
          ['2026-11-27', false],
          ['2026-12-04', true],
          ['2026-12-11', false],
        ]);
        // Twice is once.
        await client.schedules.skip('weekly', { at: '2026-12-04T04:00:00Z' });
        await expect(client.schedules.skip('weekly', { at: '2026-12-05T04:00:00Z' })).rejects.toThrow(/does not run at 2026-12-05/);
        expect((await client.schedules.skip('weekly', {})).nextAt).toBe('2026-12-11T04:00:00.000Z');
        const kept = await client.schedules.unskip('weekly', { at: '2026-12-04T05:00:00+01:00' });
        expect([kept.nextAt, kept.next[1]]).toEqual(['2026-12-04T04:00:00.000Z', { at: '2026-12-04T04:00:00.000Z', skipped: false }]);
        await expect(client.schedules.unskip('weekly', { at: '2026-12-05T04:00:00Z' })).rejects.toThrow(/does not run at 2026-12-05/);
        await client.schedules.skip('weekly', {});
        await to(all, '2026-12-11T04:01:00Z');
        const { runs } = await doneRun(all, 'weekly', 3);
        expect(runs.map(({ plannedAt, state }) => [plannedAt.slice(0, 10), state]).sort()).toEqual([
          ['2026-11-27', 'skipped'],
          ['2026-12-04', 'skipped'],
          ['2026-12-11', 'started'],
        ]);
        expect(await client.schedules.pause('weekly')).toMatchObject({ state: 'paused', next: [] });
        await expect(client.schedules.skip('weekly', {})).rejects.toThrow(/It is paused/);
        await to(all, '2026-12-19T12:00:00Z');
        expect((await client.schedules.runs('weekly')).runs).toHaveLength(3);
        expect(await client.schedules.resume('weekly')).toMatchObject({ state: 'active', nextAt: '2026-12-25T04:00:00.000Z' });
        const trial = await client.schedules.run('weekly', { first: 2 });
        expect(trial).toMatchObject({ manual: true, state: 'started' });
        const { bulk } = await doneRun(all, 'weekly', 4);
        expect(bulk).toMatchObject({ id: trial.bulkSend, read: 2, accepted: 2 });
        expect((await client.schedules.get('weekly')).nextAt).toBe('2026-12-25T04:00:00.000Z');
        await expect(client.schedules.get('weakly')).rejects.toThrow(/has no "weakly"/);
      },
    ));

  test('takes recipients from the mail folder, comes with an edition and goes with it', () =>
    within(
      '2026-11-25T09:00:00Z',
      () => ({
        'crew.yaml': weekly('{ file: recipients/crew.csv }', `data: ${JSON.stringify(DATA)}\n`),
        'recipients/crew.csv': 'to,labels.deck\nAsa <asa@post.example>,2\nnour@post.example,3\nnobody,1\n',
        'office.yaml': weekly('{ list: [office@saltmarsh-ferries.example] }', `data: ${JSON.stringify(DATA)}\n`),
      }),
      async (all) => {
        const { client, mail, once, service } = all;
        await once(async () => ((await client.schedules.list()).schedules.length === 2 ? true : undefined));
        await to(all, '2026-11-27T04:01:00Z');
        const { bulk } = await doneRun(all, 'crew', 1);
        expect(bulk).toMatchObject({ accepted: 2, refused: 1 });
        const { messages } = await client.messages.list({ address: 'nour@post.example' });
        expect(messages).toMatchObject([{ labels: { deck: '3' } }]);
        expect(await doneRun(all, 'office', 1)).toMatchObject({ bulk: { accepted: 1 } });
        // Another edition, without it; and back.
        const cli = async (...args: string[]): Promise<string> => {
          const { code, out, notes } = await runCli(args, service);
          expect([code, notes]).toEqual([0, expect.any(String)]);
          return out;
        };
        rmSync(join(mail, 'schedules/crew.yaml'));
        await cli('publish', mail);
        expect((await client.schedules.list()).schedules.map(({ name }) => name)).toEqual(['office']);
        await to(all, '2026-12-04T04:01:00Z');
        await doneRun(all, 'office', 2);
        expect((await client.schedules.runs('crew')).runs).toHaveLength(1);
        await cli('editions', 'use', '1');
        expect(await client.schedules.get('crew')).toMatchObject({ state: 'active', nextAt: '2026-12-11T04:00:00.000Z' });
        expect(await cli('schedules', 'list')).toMatch(/crew +● active +Fri 2026-12-11 05:00 +Europe\/Paris/);
        expect(await cli('schedules', 'show', 'crew')).toContain('pier-bulletin to schedules/recipients/crew.csv');
        expect(await cli('schedules', 'skip', 'crew')).toContain('Fri 2026-12-11 05:00  skipped');
        expect(await cli('schedules', 'pause', 'crew')).toContain('crew  ‖ paused');
        expect(await cli('schedules', 'run', 'office')).toMatch(/office runs as p\w+/);
      },
    ));

  test('whose app does not answer waits and says so, and can be canceled', () =>
    within(
      '2026-11-27T03:58:00Z',
      () => ({ 'weekly.yaml': weekly('{ url: "http://127.0.0.1:9/recipients" }') }),
      async (all) => {
        const { client, clock, once } = all;
        await once(async () => ((await client.schedules.list()).schedules.length === 1 ? true : undefined));
        await clock.move(3 * MINUTE);
        const bulk = await once(async () => {
          const [run] = (await client.schedules.runs('weekly')).runs;
          const found = run?.bulkSend === undefined ? undefined : await client.bulkSends.get(run.bulkSend);
          return found?.problem === undefined ? undefined : found;
        });
        expect(bulk).toMatchObject({ state: 'running', problem: expect.stringMatching(/could not be reached/) });
        expect(await client.bulkSends.cancel(bulk.id)).toMatchObject({ state: 'canceled' });
      },
    ));
});
