import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient } from '@verbalis/client';
import { fieldOf, foreignMail, readMail } from '@verbalis/core/mime';
import { SmtpConnection } from '@verbalis/service/smtp';
import { booking, OPERATOR, startTestService, type TestService } from './support/service.js';

// An email's whole way, over real sockets: API, queue, SMTP, return path.
let all: TestService;
beforeAll(async () => {
  all = await startTestService({
    script: {
      'refused@post.example': 'refuse',
      'refused@other.example': 'refuse',
      'deferred@post.example': 'defer-twice',
      'bounced@post.example': 'report-failed',
      'confirmed@post.example': 'report-delivered',
    },
  });
});
afterAll(() => all.stop());

describe('every outcome ends in its state', () => {
  test('accepted', async () => {
    const { id } = await all.client.messages.send(booking('Ása <fine@post.example>'));
    const { deliveries } = await all.ended(id, 'accepted');
    expect(deliveries[0]).toMatchObject({
      address: 'fine@post.example',
      sentence: expect.stringContaining('The provider accepted the email'),
      attempts: [{ number: 1, provider: 'relay', outcome: 'accepted', replyCode: 250 }],
    });
    const mail = readMail(Buffer.from(await all.client.messages.source(id)));
    expect(fieldOf(mail, 'to')).toBe('Ása <fine@post.example>');
    expect(fieldOf(mail, 'message-id')).toBe(`<${id}@saltmarsh-ferries.example>`);
    expect(fieldOf(mail, 'subject')).toBe('Booking SM-1042: Brackwater to Tern Island');
    expect((await all.client.messages.mail(id)).text).toMatch(/Adult +2 +€48\.00/);
  });

  test('refused by the provider: failed, with cause and evidence, tried once', async () => {
    const { id } = await all.client.messages.send(booking('refused@post.example'));
    const { deliveries } = await all.ended(id, 'failed');
    expect(deliveries[0]).toMatchObject({
      cause: 'mailbox-unknown',
      attempts: [{ outcome: 'refused', phase: 'recipient', status: '5.1.1', replyCode: 550 }],
      advice: expect.any(String),
    });
    expect(deliveries[0]!.nextAttemptAt).toBeUndefined();
  });

  test('put off twice, then taken', async () => {
    const { id } = await all.client.messages.send(booking('deferred@post.example'));
    const { deliveries } = await all.ended(id, 'accepted');
    expect(deliveries[0]!.attempts.map((attempt) => attempt.outcome)).toEqual(['deferred', 'deferred', 'accepted']);
    expect(deliveries[0]!.facts.map((fact) => [fact.kind, fact.cause])).toEqual([
      ['delayed', 'rate-or-greylist'],
      ['delayed', 'rate-or-greylist'],
      ['accepted', undefined],
    ]);
    expect(all.simulator.seen.get('deferred@post.example')).toMatchObject({ tries: 3, taken: 1 });
  });

  test('a report that comes back turns accepted to failed, or to delivered', async () => {
    const bounced = await all.client.messages.send(booking('bounced@post.example'));
    const confirmed = await all.client.messages.send(booking('confirmed@post.example'));
    expect((await all.ended(bounced.id, 'failed')).deliveries[0]).toMatchObject({
      cause: 'mailbox-unknown',
      facts: [{ kind: 'accepted' }, { kind: 'failed', source: 'return', returnId: expect.any(String) }],
    });
    expect((await all.ended(confirmed.id, 'delivered')).deliveries[0]!.facts.map((fact) => fact.kind)).toEqual(['accepted', 'delivered']);
  });

  test('one message, several recipients, each with a outcome of its own', async () => {
    const { id } = await all.client.messages.send({ ...booking('fine@post.example'), to: ['fine@post.example', 'refused@other.example'] });
    const { deliveries } = await all.ended(id, 'accepted', 'failed');
    expect(deliveries.map((delivery) => delivery.state)).toEqual(['accepted', 'failed']);
  });

  test('a capturing space sends nothing and keeps the mail', async () => {
    const drydock = createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' });
    const { id } = await drydock.messages.send(booking('captured@post.example'));
    for (;;) if ((await drydock.messages.get(id)).deliveries[0]!.state === 'accepted') break;
    expect((await drydock.messages.mail(id)).html).toContain('You are on board, Ása');
    expect(all.simulator.seen.has('captured@post.example')).toBe(false);
  });
});

describe('the return path', () => {
  const hand = async (to: string, bytes = Buffer.from('Subject: x\r\n\r\nx')) => {
    const connection = new SmtpConnection({ host: '127.0.0.1', port: all.service.returnsPort, helloName: 'mx.example' });
    await connection.open();
    const outcome = await connection.deliver({ from: '', to }, foreignMail(bytes));
    connection.close();
    return outcome;
  };
  test.each([
    'returns+d0000000000000000000000000-aaaaaaaaaaaaaaaa@returns.saltmarsh-ferries.example',
    'returns@returns.saltmarsh-ferries.example',
    'someone@elsewhere.example',
    'postmaster@returns.saltmarsh-ferries.example.evil.example',
  ])('is closed to %s: no relay, no forged token', async (to) => {
    expect(await hand(to)).toMatchObject({ kind: 'refused', phase: 'recipient', reply: { code: 550 } });
  });
});

test('logs hold no keys and no bodies', () => {
  const logs = all.logs.join('');
  expect(logs).toContain('attempt ended');
  expect(logs).not.toContain(all.key);
  expect(logs).not.toContain(OPERATOR);
  expect(logs).not.toContain('You are on board');
});
