import { describe as group, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  ClientDialogue,
  ReplyReader,
  ServerDialogue,
  stuffed,
  type Answer,
  type ClientStep,
  type Outcome,
  type ReceivedMail,
} from './index.js';

const ENVELOPE = { from: 'returns+x@host.example', to: 'asa@post.example' };
const MAIL = Buffer.from('Subject: x\r\n\r\n.dot\r\nend\r\n');

/** Runs a client against fixed server words, fed in pieces; gives what the client said and how it ended. */
function converse(
  words: readonly string[],
  cut: (text: string) => string[] = (text) => [text],
): { said: string; outcomes: Outcome[]; closed: boolean } {
  const client = new ClientDialogue({ helloName: 'us.example' });
  let said = '';
  let handed = false;
  const outcomes: Outcome[] = [];
  let closed = false;
  const take = (steps: readonly ClientStep[]): void => {
    for (const step of steps) {
      if (step.kind === 'send') said += Buffer.from(step.bytes).toString();
      else if (step.kind === 'outcome') outcomes.push(step.outcome);
      else if (step.kind === 'close') closed = true;
      else if (!handed) {
        handed = true;
        take(client.deliver(ENVELOPE, MAIL));
      }
    }
  };
  for (const word of words) {
    if (closed) break;
    for (const piece of cut(word)) take(client.receive(Buffer.from(piece)));
  }
  if (!closed) take(client.lost('The connection was lost.'));
  return { said, outcomes, closed };
}

const GOOD = [
  '220 host ESMTP\r\n',
  '250-host\r\n250-SIZE 1000\r\n250 8BITMIME\r\n',
  '250 ok\r\n',
  '250 ok\r\n',
  '354 go\r\n',
  '250 2.0.0 taken\r\n',
];

group('client', () => {
  test('hands a mail over, dots doubled', () => {
    const { said, outcomes } = converse(GOOD);
    expect(said).toBe(
      `EHLO us.example\r\nMAIL FROM:<${ENVELOPE.from}> SIZE=${MAIL.length}\r\nRCPT TO:<${ENVELOPE.to}>\r\nDATA\r\nSubject: x\r\n\r\n..dot\r\nend\r\n.\r\n`,
    );
    expect(outcomes).toMatchObject([{ kind: 'accepted', reply: { code: 250, enhanced: '2.0.0' } }]);
  });

  test('replies may be cut anywhere', () => {
    const whole = converse(GOOD).said;
    const bytes = (text: string): string[] => [...text];
    expect(converse(GOOD, bytes)).toMatchObject({ said: whole, outcomes: [{ kind: 'accepted' }] });
  });

  // What the server says after which good words, and how that ends.
  const endings: [number, string, Outcome['kind'], Outcome['phase']][] = [
    [0, '554 no service\r\n', 'trouble', 'greeting'],
    [0, 'HTTP/1.1 400\r\n', 'trouble', 'greeting'],
    [1, '421 later\r\n', 'trouble', 'hello'],
    [2, '550 5.7.1 no sender\r\n', 'refused', 'sender'],
    [2, '451 4.3.0 later\r\n', 'deferred', 'sender'],
    [3, '550 5.1.1 nobody\r\n', 'refused', 'recipient'],
    [3, '450-4.2.0 a\r\n450 4.2.0 b\r\n', 'deferred', 'recipient'],
    [3, '421 4.7.0 bye\r\n', 'trouble', 'recipient'],
    [4, '554 5.6.0 no\r\n', 'refused', 'data'],
    [5, '552 5.3.4 big\r\n', 'refused', 'content'],
    [5, '451 4.3.0 disk\r\n', 'deferred', 'content'],
    [5, 'garbage\r\n', 'uncertain', 'content'],
  ];
  test.each(endings)('after %i good replies, %j', (good, word, kind, phase) => {
    expect(converse([...GOOD.slice(0, good), word]).outcomes).toMatchObject([{ kind, phase }]);
  });

  test('a connection lost at any byte ends in trouble, or uncertain after the final dot', () => {
    const whole = GOOD.join('');
    const upToData = GOOD.slice(0, 5).join('').length;
    for (let at = 0; at < whole.length; at += 1) {
      const { outcomes, closed } = converse([whole.slice(0, at)], (text) => [...text]);
      expect(closed).toBe(true);
      expect(outcomes).toMatchObject([{ kind: at < upToData ? 'trouble' : 'uncertain' }]);
    }
  });

  test('a server that talks ahead or says good-bye while idle is left', () => {
    expect(converse([`${GOOD[0]}${GOOD[1]}421 bye\r\n`]).outcomes).toMatchObject([{ kind: 'trouble' }]);
  });

  test('falls back to HELO, and takes another mail on the same connection', () => {
    expect(converse(['220 x\r\n', '500 what\r\n', '250 x\r\n', '250 ok\r\n', '250 ok\r\n', '354 go\r\n', '250 ok\r\n'])).toMatchObject({
      outcomes: [{ kind: 'accepted' }],
    });
  });

  test('no address brings a command of its own', () => {
    fc.assert(
      fc.property(fc.string({ unit: fc.constantFrom('a', '@', '>', '\r', '\n', ' ', '<', '\0', '"') }), (to) => {
        const client = new ClientDialogue({ helloName: 'us' });
        client.receive(Buffer.from('220 x\r\n'));
        client.receive(Buffer.from('250 x\r\n'));
        const lines = [...client.deliver({ from: '', to }, MAIL), ...client.receive(Buffer.from('250 ok\r\n'))].map((step) =>
          step.kind === 'send' ? Buffer.from(step.bytes).toString() : '',
        );
        for (const line of lines) expect(line.slice(0, -2)).not.toMatch(/[\r\n]/);
      }),
    );
  });
});

test('replies: many lines, enhanced codes, bounds', () => {
  const reader = new ReplyReader();
  expect(reader.read(Buffer.from('250-5.x a\r\n250 2.1.0 b\n'))).toEqual([{ code: 250, enhanced: '2.1.0', lines: ['5.x a', 'b'] }]);
  expect(reader.read(Buffer.alloc(5000, 97))).toEqual(['malformed']);
});

test('stuffing: line ends become CRLF and the end is marked', () => {
  const cases: [string, string][] = [
    ['', '.\r\n'],
    ['a', 'a\r\n.\r\n'],
    ['a\n.b\r\rc\r\n', 'a\r\n..b\r\n\r\nc\r\n.\r\n'],
    ['.', '..\r\n.\r\n'],
    ['a\r.b', 'a\r\n..b\r\n.\r\n'],
  ];
  for (const [raw, wanted] of cases) expect(Buffer.from(stuffed(Buffer.from(raw))).toString()).toBe(wanted);
});

group('server', () => {
  function serve(input: string, cut = 1_000_000, recipient: (to: string) => Answer = () => ({ code: 250, text: 'ok' })) {
    const server = new ServerDialogue({ name: 'us', maxBytes: 200, maxRecipients: 2 });
    const mails: ReceivedMail[] = [];
    let said = '';
    const take = (steps: ReturnType<ServerDialogue['receive']>): void => {
      for (const step of steps) {
        if (step.kind === 'send') said += Buffer.from(step.bytes).toString();
        else if (step.kind === 'ask-recipient') take(server.answer(recipient(step.envelope.to)));
        else if (step.kind === 'ask-mail') {
          mails.push(step.mail);
          take(server.answer({ code: 250, enhanced: '2.0.0', text: 'kept' }));
        } else said += '<closed>';
      }
    };
    take(server.greet());
    for (let at = 0; at < input.length; at += cut) take(server.receive(Buffer.from(input.slice(at, at + cut))));
    return {
      mails: mails.map((mail) => ({ ...mail, bytes: Buffer.from(mail.bytes).toString() })),
      codes: [...said.matchAll(/^(\d{3}) /gm)].map((found) => Number(found[1])),
      said,
    };
  }
  const TALK = 'EHLO a\r\nMAIL FROM:<> BODY=8BITMIME\r\nRCPT TO:<b@c>\r\nDATA\r\n..x\r\n\r\n.\r\nQUIT\r\n';

  test('takes a mail, pipelined or byte by byte', () => {
    const whole = serve(TALK);
    expect(whole.mails).toEqual([{ from: '', to: ['b@c'], bytes: '.x\r\n\r\n' }]);
    expect(whole.codes).toEqual([220, 250, 250, 250, 354, 250, 221]);
    expect(serve(TALK, 1).mails).toEqual(whole.mails);
  });

  test('refuses what is out of order, unknown, too big or too much', () => {
    expect(serve('MAIL FROM:<a@b>\r\nEHLO a\r\nDATA\r\nRCPT TO:<a@b>\r\nFOO\r\nMAIL TO:<>\r\n').codes).toEqual([
      220, 503, 250, 503, 503, 500, 501,
    ]);
    expect(
      serve(
        `EHLO a\r\nMAIL FROM:<a@b> SIZE=201\r\nMAIL FROM:<a@b>\r\nRCPT TO:<b@c>\r\nDATA\r\n${'x'.repeat(150)}\r\n${'x'.repeat(150)}\r\n.\r\n`,
      ),
    ).toMatchObject({ mails: [], codes: [220, 250, 552, 250, 250, 354, 552] });
    expect(serve('EHLO a\r\nMAIL FROM:<a@b>\r\nRCPT TO:<a@b>\r\nDATA\r\n', 100, () => ({ code: 550, text: 'no' })).codes).toEqual([
      220, 250, 250, 550, 503,
    ]);
    expect(serve('x\r\n'.repeat(30)).said).toContain('421 4.7.0 Too many errors\r\n<closed>');
    expect(serve('y'.repeat(3000)).said).toContain('<closed>');
  });
});
