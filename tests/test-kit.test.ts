import { execFile, spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { mailMatchers, startMailService, type MailService } from '@verbalis/test-kit';
import '@verbalis/test-kit/jest';
import { booking, DEMO_FOLDER, ROOT, temporaryFolder, until } from './support/service.js';

let mail: MailService;
beforeAll(async () => {
  const from = performance.now();
  mail = await startMailService({ mailFolder: DEMO_FOLDER });
  process.stderr.write(`test kit: a service for a test file was ready after ${Math.round(performance.now() - from)} ms\n`);
});
afterAll(() => mail.stop());

test('matchers say what was there when something else was wanted', async () => {
  await mail.client.messages.send(booking('asa@post.example', 'SM-9001'));
  await expect(mail.captured).toHaveSentMailTo('asa@post.example', { subject: 'SM-9001', saying: 'Sandpiper' });
  const sent = await mail.captured.waitFor({ to: 'asa@post.example' });
  expect(sent).toHaveLink('Change this booking');
  expect(sent).toHaveLink(/bookings\/SM-9001$/);
  expect(sent).not.toHaveLink('Buy');
  expect(sent).not.toHaveCode();
  expect(sent).toSay('We kept your place');
  expect(() => expect(sent).toHaveLink('Buy')).toThrow(/No link fits Buy[\s\S]*"Change this booking"/);
  expect(() => expect(sent).toHaveCode()).toThrow('There is no one-time code in this email.');
  expect(() => expect(sent).toSay('You won')).toThrow(/It does not say "You won"[\s\S]*Sandpiper/);
  await expect(expect(mail.captured).toHaveSentMailTo('nobody@post.example', { within: 50 })).rejects.toThrow(/The newest is/);
  await expect(expect(mail.captured).not.toHaveSentMailTo('asa@post.example')).rejects.toThrow(/No mail was to go to/);
  expect(() => mailMatchers.toSay('no mail', 'x')).toThrow('looks at a captured mail');
});

test('a recipient answers, and the app gets what is new in it', async () => {
  await mail.client.messages.send(booking('answers@post.example', 'SM-9003'));
  const sent = await mail.captured.waitFor({ to: 'answers@post.example' });
  const answer = await mail.reply(sent, {
    text: 'May I bring my dog?',
    attachments: [{ name: 'dog.txt', type: 'text/plain', content: Buffer.from('Rex') }],
  });
  expect(answer).toMatchObject({ text: 'May I bring my dog?', messageId: sent.messageId, from: { address: 'answers@post.example' } });
  expect(answer.quoted).toContain('We kept your place');
  expect(answer.files).toMatchObject([{ name: 'dog.txt', size: 3 }]);
  await mail.client.messages.send({ subject: 'No answers', text: 'x', to: ['silent@post.example'] });
  const other = await mail.captured.waitFor({ to: 'silent@post.example' });
  await expect(mail.reply(other, { text: 'x' })).rejects.toThrow('names no address for answers');
});

test('two services of two test files do not see each other’s mail', async () => {
  const other = await startMailService();
  await other.client.messages.send({ subject: 'Only there', text: 'x', to: ['b@post.example'] });
  await other.captured.waitFor({ to: 'b@post.example' });
  await expect(mail.captured).not.toHaveSentMailTo('b@post.example');
  // Without a mail folder there is no template to send, and that is said.
  await expect(other.client.messages.send(booking('c@post.example'))).rejects.toThrow('has no edition yet');
  await other.stop();
});

test('with Node’s own test runner', async () => {
  const folder = temporaryFolder();
  const file = join(folder.path, 'app.test.mjs');
  const kit = JSON.stringify(join(ROOT, 'packages/test-kit/dist/index.js'));
  writeFileSync(
    file,
    `import test from 'node:test'; import assert from 'node:assert';
import { startMailService } from ${kit};
test('sends', async () => {
  const mail = await startMailService();
  await mail.client.messages.send({ subject: 'From node:test', text: 'Your code: 204816', to: ['a@post.example'] });
  assert.equal((await mail.captured.waitFor({ to: 'a@post.example' })).code, '204816');
  await mail.stop();
});`,
  );
  const env = Object.fromEntries(Object.entries(process.env).filter(([name]) => !/^(?:NODE|JEST)/.test(name)));
  const { stdout } = await promisify(execFile)(process.execPath, ['--test', file], { env });
  expect(stdout).toMatch(/pass 1/);
  folder.remove();
});

test('says what has happened, and waits for what follows', async () => {
  const data = JSON.parse(readFileSync(join(DEMO_FOLDER, 'signals/samples/booking-paid.json'), 'utf8')) as { data: unknown };
  const paid = await mail.signal('booking.paid', data.data);
  expect(paid.rules).toMatchObject([{ rule: 'booking-paid', state: 'sent' }]);
  expect(paid.mails).toHaveLength(1);
  expect(paid.mails[0]).toSay('We kept your place');
  // One whose email is due later waits; nothing is waited for then.
  const found = JSON.parse(readFileSync(join(DEMO_FOLDER, 'signals/samples/item-found.json'), 'utf8')) as { data: unknown };
  expect(await mail.signal('item.found', found.data)).toMatchObject({ rules: [{ rule: 'item-found', state: 'waiting' }], mails: [] });
  expect(await mail.signal('nothing.known', {})).toEqual({ rules: [], mails: [] });
});

test('when the process of the test is killed, its service ends, too', async () => {
  const kit = JSON.stringify(join(ROOT, 'packages/test-kit/dist/index.js'));
  const script = `const { startMailService } = await import(${kit}); console.log((await startMailService()).url); process.kill(process.pid, 'SIGKILL');`;
  const { stdout, signal } = spawnSync(process.execPath, ['--input-type=module', '-e', script], { encoding: 'utf8' });
  expect(signal).toBe('SIGKILL');
  const url = stdout.trim();
  expect(url).toMatch(/^http:\/\/127\.0\.0\.1:\d+$/);
  await until(() =>
    fetch(url).then(
      () => undefined,
      () => true,
    ),
  );
});
