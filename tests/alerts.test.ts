import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createClient, type RefusedError, type Client } from '@verbalis/client';
import { movableClock, type MovableClock } from './support/clock.js';
import { booking, DEMO_FOLDER, OPERATOR, startTestService, until, type TestService } from './support/service.js';

// Rules that people set, what holds by them, and whom the service tells; minutes pass by a moved clock.

const OFFICE = 'office@saltmarsh-ferries.example';
const MINUTE = 60_000;

let clock: MovableClock;
let all: TestService;
let client: Client;
beforeAll(async () => {
  clock = movableClock(Date.parse('2026-11-20T08:00:00Z'));
  const space = { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'] };
  all = await startTestService({
    clock,
    script: Object.fromEntries(Array.from({ length: 40 }, (_, i) => [`refused${i}@post.example`, 'refuse' as const])),
    change: {
      publicUrl: 'https://mail.saltmarsh-ferries.example',
      spaces: { harbour: { ...space, operator: OFFICE }, pier: space },
      alerts: { written: { of: ['complained'], count: 1 } },
    },
  });
  clock.busy = all.service.busy;
  client = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
});
afterAll(() => all.stop());

let used = 0;
const fail = (n: number) =>
  client.messages.sendBatch({
    mode: 'all',
    messages: Array.from({ length: n }, () => booking(`refused${used++}@post.example`, `SM-${7000 + used}`)),
  });
const notes = async () => (await client.messages.list({ address: OFFICE })).messages.map((message) => message.subject);

test('a rule that is set holds at once for what has just happened, and the operator gets one mail when it begins and one when it is over', async () => {
  await fail(4);
  await clock.move(2 * MINUTE);
  expect((await client.alerts.list()).alerts).toEqual([]);
  const made = await client.alerts.setRule('many-fail', { percent: 50, by: 'template', least: 3, minutes: 10 });
  expect(made).toEqual({
    name: 'many-fail',
    from: 'service',
    of: ['failed'],
    where: '',
    by: 'template',
    percent: 50,
    minutes: 10,
    least: 3,
  });
  await clock.move(MINUTE);
  const { alerts, rules } = await client.alerts.list();
  expect(rules.map((rule) => [rule.name, rule.from])).toEqual([
    ['written', 'configuration'],
    ['many-fail', 'service'],
    ['runaway', 'built-in'],
  ]);
  expect(alerts).toMatchObject([
    {
      rule: 'many-fail',
      group: 'booking-confirmed',
      value: 100,
      text: '100% failed in 10 minutes for template booking-confirmed: 4 of 4 (limit 50%).',
    },
  ]);
  expect(await notes()).toEqual(['Alert: many-fail for booking-confirmed']);
  await clock.move(20 * MINUTE);
  expect((await client.alerts.list()).alerts[0]?.resolvedAt).toBeDefined();
  expect(await notes()).toEqual(['Resolved: many-fail for booking-confirmed', 'Alert: many-fail for booking-confirmed']);
  const [over] = (await client.messages.list({ address: OFFICE })).messages;
  const { text } = await client.messages.mail((over as { id: string }).id);
  expect(text).toContain('Resolved at 2026-11-20 08:');
  expect(text).toContain('https://mail.saltmarsh-ferries.example/in/harbour/track/alerts');
  // The other space has neither the rule nor the alert.
  const pier = createClient({ url: all.service.url, key: OPERATOR, space: 'pier' });
  expect(await pier.alerts.list()).toMatchObject({ alerts: [], rules: [{ name: 'written' }, { name: 'runaway' }] });
});

test('what holds by a rule that is taken away is over', async () => {
  await client.alerts.setRule('any', { count: 2, least: 1, minutes: 60 });
  await fail(3);
  await clock.move(2 * MINUTE);
  const holding = async () =>
    (await client.alerts.list()).alerts.filter((alert) => alert.resolvedAt === undefined).map((alert) => alert.rule);
  expect(await holding()).toContain('any');
  await client.alerts.removeRule('any');
  await clock.move(MINUTE);
  expect(await holding()).not.toContain('any');
  const { events } = await client.events.list({ filter: 'type = alert-resolved and rule = any' });
  expect(events.map((event) => event.data['text'])).toEqual(['Resolved: the rule any was removed.']);
});

test('a changed rule counts anew from what is known', async () => {
  await client.alerts.setRule('tuned', { count: 100, least: 1, minutes: 600 });
  await clock.move(MINUTE);
  const tuned = async () => (await client.alerts.list()).alerts.filter((alert) => alert.rule === 'tuned');
  expect(await tuned()).toEqual([]);
  await client.alerts.setRule('tuned', { count: 5, least: 1, minutes: 600 });
  await clock.move(MINUTE);
  expect(await tuned()).toMatchObject([{ value: 7 }]);
});

test('the emails that tell of alerts count in no rule', async () => {
  // All that was taken in this space are such emails.
  expect((await notes()).length).toBeGreaterThan(2);
  await client.alerts.setRule('taken', { of: ['accepted'], count: 1, least: 1, minutes: 1440 });
  await clock.move(MINUTE);
  expect((await client.alerts.list()).alerts.filter((alert) => alert.rule === 'taken')).toEqual([]);
  await client.alerts.removeRule('taken');
});

test('what cannot be set says why', async () => {
  const why = (done: Promise<unknown>) =>
    done.then(
      () => 'set',
      (error: unknown) => (error as RefusedError).problem,
    );
  expect(await why(client.alerts.setRule('written', { count: 1 }))).toMatchObject({ status: 409, hint: expect.stringContaining('name') });
  expect(await why(client.alerts.setRule('Bad Name', { count: 1 }))).toMatchObject({ status: 422 });
  expect(await why(client.alerts.setRule('two', { count: 1, percent: 2 }))).toMatchObject({ status: 422 });
  expect(await why(client.alerts.setRule('odd', { count: 1, where: 'topik = 4' }))).toMatchObject({
    status: 422,
    problems: [{ path: 'where', message: expect.stringContaining('character') }],
  });
  expect(await why(client.alerts.removeRule('gone'))).toMatchObject({ status: 404 });
  expect(await why(createClient({ url: all.service.url, key: all.key }).alerts.setRule('x', { count: 1 }))).toMatchObject({ status: 403 });
});

test('an operator who could not be told is told later, of all in one mail', async () => {
  const before = (await notes()).length;
  await client.alerts.setRule('brief', { count: 1, least: 1, minutes: 1 });
  await fail(2);
  // Longer than the window: what began is over when anybody looks.
  await clock.move(30 * MINUTE);
  const subjects = (await notes()).slice(0, (await notes()).length - before);
  expect(subjects.filter((subject) => subject.includes('brief'))).toEqual(['Resolved: brief', 'Alert: brief']);
  await until(async () =>
    (await client.alerts.list()).alerts.every((alert) => alert.resolvedAt !== undefined || alert.rule === 'tuned') ? true : undefined,
  );
});

const firing = async (rule: string) =>
  (await client.alerts.list()).alerts.filter((alert) => alert.rule === rule && alert.resolvedAt === undefined);

test('what is missing fires when its time has passed, is over when it comes, and fires again', async () => {
  await client.alerts.setRule('no-codes', { of: ['accepted'], fewer: 1, minutes: 30, where: 'reference starts-with "CODE-"' });
  await clock.move(29 * MINUTE);
  // Nothing came before the rule was set either, but it could not have been known to be missing.
  expect(await firing('no-codes')).toEqual([]);
  await clock.move(2 * MINUTE);
  expect(await firing('no-codes')).toMatchObject([{ value: 0, text: expect.stringMatching(/^No accepted .* in 30 minutes/) }]);
  await client.messages.send({ ...booking('asa@post.example'), reference: 'CODE-1' });
  await clock.move(2 * MINUTE);
  expect(await firing('no-codes')).toEqual([]);
  await clock.move(31 * MINUTE);
  expect(await firing('no-codes')).toHaveLength(1);
});

test('what is missing at night is not missed', async () => {
  const at = (ms: number): string => new Date(clock.now() + ms).toISOString().slice(11, 16);
  const hours = { from: at(60 * MINUTE), to: at(180 * MINUTE), timeZone: 'UTC' };
  await client.alerts.setRule('by-day', { of: ['delivered'], fewer: 1, minutes: 30, hours });
  await clock.move(80 * MINUTE);
  expect(await firing('by-day')).toEqual([]);
  await clock.move(15 * MINUTE);
  expect(await firing('by-day')).toHaveLength(1);
});

test.each([
  [{ fewer: 1, by: 'topic' as const }],
  [{ count: 1, hours: { from: '06:00', to: '22:00', timeZone: 'UTC' } }],
  [{ fewer: 1, hours: { from: '6', to: '22:00', timeZone: 'UTC' } }],
  [{ fewer: 1, hours: { from: '06:00', to: '22:00', timeZone: 'Mars' } }],
])('a rule that cannot be asked is refused: %j', async (rule) => {
  await expect(client.alerts.setRule('odd', rule)).rejects.toMatchObject({ problem: { status: 422 } });
});

test('a built-in rule is not replaced', async () => {
  await expect(client.alerts.setRule('runaway', { count: 1 })).rejects.toMatchObject({ problem: { status: 409 } });
});

test('an app that runs away: the alert names the template', async () => {
  for (let i = 0; i < 22; i += 1) await client.messages.send(booking('runner@post.example', `SM-${9000 + i}`));
  await clock.move(2 * MINUTE);
  expect(await firing('runaway')).toMatchObject([{ group: 'booking-confirmed', value: 2 }]);
});
