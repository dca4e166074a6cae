import { spawnSync } from 'node:child_process';
import { afterAll, beforeAll, expect } from '@jest/globals';
import { startSmtpProvider, type SmtpSimulator } from '@verbalis/simulators';
import { needs } from './support/browser.js';
import { POSTFIX, freePort, startPostfix, type Postfix } from './support/postfix.js';
import { booking, startTestService, until, type TestService } from './support/service.js';

// A real Postfix between us and the mailboxes, on loopback, from a folder of the test's own.
const postfixTest = needs(POSTFIX, '/usr/bin/python3');
let postfix: Postfix;
let nextHop: SmtpSimulator;
let all: TestService;

beforeAll(async () => {
  const returnsPort = await freePort();
  nextHop = await startSmtpProvider({
    name: 'next-hop',
    host: '127.0.0.1',
    port: 0,
    script: { 'nobody@refusing.example': 'refuse' },
    returnsTo: { host: '127.0.0.1', port: returnsPort },
    reportAfterMs: 10,
  });
  postfix = await startPostfix({
    mailboxes: ['asa@post.example'],
    routes: { 'refusing.example': nextHop.port, 'returns.saltmarsh-ferries.example': returnsPort },
  });
  all = await startTestService({
    provider: { host: '127.0.0.1', port: postfix.port },
    change: { returns: { port: returnsPort, domain: 'returns.saltmarsh-ferries.example' } },
  });
});
afterAll(async () => {
  await all.stop();
  postfix.stop();
  await nextHop.close();
});

// Read by Python's standard library, which shares no line with our own reader.
const READER = `
import sys, json
from email import message_from_binary_file, policy
mail = message_from_binary_file(open(sys.argv[1], 'rb'), policy=policy.default)
print(json.dumps({
  'subject': mail['subject'],
  'to': [[a.display_name, a.addr_spec] for a in mail['to'].addresses],
  'from': [[a.display_name, a.addr_spec] for a in mail['from'].addresses],
  'id': mail['message-id'],
  'returnPath': mail['return-path'],
  'text': mail.get_body(('plain',)).get_content(),
  'html': mail.get_body(('html',)).get_content(),
  'defects': [str(d) for part in mail.walk() for d in part.defects],
}))`;

postfixTest('RFC 2047 5: an email with names and subject beyond ASCII arrives whole [Postfix, Python’s email]', async () => {
  const wanted = booking({ name: 'Ása Þórsdóttir, "Nýja höfn" 海', address: 'asa@post.example' });
  wanted.data.sailing.from = 'Brackwater → Ængus 桟橋';
  wanted.data.passenger.givenName = 'Ása 👋';
  const { id } = await all.client.messages.send(wanted);
  const message = await all.ended(id, 'accepted');
  const [file] = await until(() => (postfix.delivered('asa@post.example').length > 0 ? postfix.delivered('asa@post.example') : undefined));
  const { stdout, stderr } = spawnSync('/usr/bin/python3', ['-c', READER, file!], { encoding: 'utf8' });
  expect(stderr).toBe('');
  const read = JSON.parse(stdout) as Record<string, unknown>;
  expect(read).toMatchObject({
    subject: 'Booking SM-1042: Brackwater → Ængus 桟橋 to Tern Island',
    to: [['Ása Þórsdóttir, "Nýja höfn" 海', 'asa@post.example']],
    from: [['Saltmarsh Ferries', 'harbour@saltmarsh-ferries.example']],
    id: `<${message.id}@saltmarsh-ferries.example>`,
    defects: [],
  });
  expect(read['returnPath']).toMatch(/^<returns\+d[0-9a-z]+-[a-z2-7]{16}@returns\.saltmarsh-ferries\.example>$/);
  expect(read['text']).toContain('You are on board, Ása 👋\n========================');
  expect(read['html']).toContain('You are on board, Ása 👋</h1>');
});

postfixTest('RFC 3464 2: a recipient that the next hop refuses comes back as a report: failed, mailbox-unknown [Postfix]', async () => {
  const { id } = await all.client.messages.send(booking('nobody@refusing.example'));
  const { deliveries } = await all.ended(id, 'failed');
  expect(deliveries[0]).toMatchObject({
    cause: 'mailbox-unknown',
    sentence: expect.stringContaining('after the provider had accepted it: there is no such mailbox'),
    facts: [
      { kind: 'accepted' },
      { kind: 'failed', source: 'return', status: '5.1.1', replyCode: 550, diagnostic: expect.stringContaining('no such user here') },
    ],
  });
  expect(postfix.log()).toContain('sender non-delivery notification');
  // The address is suppressed, and the next mail to it is withheld, with the reason.
  const next = await all.client.messages.send(booking('nobody@refusing.example'));
  expect(next.deliveries[0]!.state).toBe('withheld');
  expect((await all.client.messages.get(next.id)).deliveries[0]).toMatchObject({
    attempts: [],
    sentence: expect.stringContaining('there is no such mailbox'),
  });
  expect((await all.client.suppressions.list()).suppressions).toMatchObject([
    {
      address: 'nobody@refusing.example',
      reason: 'failed',
      cause: 'mailbox-unknown',
      evidence: expect.stringContaining('no such user here'),
    },
  ]);
});
