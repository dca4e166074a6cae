import { readPath } from './path.js';
import { describe as group, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { bytesOf, foreignMail, wholeOf, type WrittenMail } from '../mime/index.js';
import {
  ClientDialogue,
  ReplyReader,
  ServerDialogue,
  type ServerOptions,
  stuffed,
  type Answer,
  type ClientOptions,
  type ClientStep,
  type Envelope,
  type Outcome,
} from './index.js';

const ENVELOPE = { from: 'returns+x@host.example', to: 'asa@post.example' };
const BYTES = Buffer.from('Subject: x\r\n\r\n.dot\r\nend\r\n');
const MAIL = foreignMail(BYTES);

/** Runs a client against fixed server words, fed in pieces; gives what the client said and how it ended. */
function converse(
  words: readonly string[],
  {
    cut = (text: string): string[] => [text],
    options = {},
    envelope = ENVELOPE,
    mail = MAIL,
  }: {
    cut?: (text: string) => string[];
    options?: Partial<ClientOptions>;
    envelope?: Envelope;
    mail?: WrittenMail;
  } = {},
): { said: string; outcomes: Outcome[]; closed: boolean } {
  const client = new ClientDialogue({ helloName: 'us.example', ...options });
  let said = '';
  let handed = false;
  const outcomes: Outcome[] = [];
  let closed = false;
  const take = (steps: readonly ClientStep[]): void => {
    for (const step of steps) {
      if (step.kind === 'send') said += Buffer.from(step.bytes).toString();
      else if (step.kind === 'stream') {
        said += wholeOf(step.bytes).toString();
        client.streamed();
      } else if (step.kind === 'upgrade') {
        said += '<tls>';
        take(client.secured());
      } else if (step.kind === 'outcome') outcomes.push(step.outcome);
      else if (step.kind === 'close') closed = true;
      else if (!handed) {
        handed = true;
        take(client.deliver(envelope, mail));
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

const bytewise = (text: string): string[] => [...text];
const OK = '250 ok\r\n';
const GOOD = ['220 host ESMTP\r\n', '250-host\r\n250-SIZE 1000\r\n250 8BITMIME\r\n', OK, OK, '354 go\r\n', '250 2.0.0 taken\r\n'];
const hello = (...extensions: string[]): string =>
  ['host', ...extensions].map((text, i, all) => `250${i === all.length - 1 ? ' ' : '-'}${text}\r\n`).join('');

group('client', () => {
  test('hands an email over, dots doubled', () => {
    const { said, outcomes } = converse(GOOD);
    expect(said).toBe(
      `EHLO us.example\r\nMAIL FROM:<${ENVELOPE.from}> SIZE=${MAIL.size}\r\nRCPT TO:<${ENVELOPE.to}>\r\nDATA\r\nSubject: x\r\n\r\n..dot\r\nend\r\n.\r\n`,
    );
    expect(outcomes).toMatchObject([{ kind: 'accepted', reply: { code: 250, enhanced: '2.0.0' } }]);
  });

  test('replies may be cut anywhere', () => {
    const whole = converse(GOOD).said;
    expect(converse(GOOD, { cut: bytewise })).toMatchObject({ said: whole, outcomes: [{ kind: 'accepted' }] });
  });

  // What the server says after which good words, and how that ends.
  const endings: [number, string, Outcome['kind'], Outcome['phase']][] = [
    [0, '554 no service\r\n', 'trouble', 'greeting'],
    [0, 'HTTP/1.1 400\r\n', 'trouble', 'greeting'],
    [1, '421 later\r\n', 'trouble', 'hello'],
    [2, '550 5.7.1 no sender\r\n', 'trouble', 'sender'],
    [2, '451 4.3.0 later\r\n', 'trouble', 'sender'],
    [3, '550 5.1.1 nobody\r\n', 'refused', 'recipient'],
    [3, '450-4.2.0 a\r\n450 4.2.0 b\r\n', 'deferred', 'recipient'],
    [3, '421 4.7.0 bye\r\n', 'trouble', 'recipient'],
    [4, '554 5.6.0 no\r\n', 'refused', 'data'],
    [5, '552 5.3.4 big\r\n', 'trouble', 'content'],
    [5, '451 4.3.0 disk\r\n', 'deferred', 'content'],
    [5, 'garbage\r\n', 'uncertain', 'content'],
  ];
  test.each(endings)('after %i good replies, %j', (good, word, kind, phase) => {
    expect(converse([...GOOD.slice(0, good), word]).outcomes).toMatchObject([{ kind, phase }]);
  });

  // Whole dialogues, with the words after which the mail is on its way: from there on a lost connection leaves us in doubt.
  const dialogues: [string, string[], number, Partial<ClientOptions>][] = [
    ['one by one', GOOD, 5, {}],
    ['pipelining', ['220 x\r\n', hello('PIPELINING', 'SIZE'), `${OK}${OK}354 go\r\n`, OK], 3, {}],
    ['chunking', ['220 x\r\n', hello('PIPELINING', 'CHUNKING'), `${OK}${OK}`, OK], 3, {}],
    ['chunking one by one', ['220 x\r\n', hello('CHUNKING'), OK, OK, OK], 4, {}],
    [
      'secured, with a login',
      [
        '220 x\r\n',
        hello('STARTTLS'),
        '220 go\r\n',
        hello('AUTH LOGIN', 'PIPELINING'),
        '334 VXNlcg==\r\n',
        '334 UGFzcw==\r\n',
        '235 yes\r\n',
        `${OK}${OK}354 go\r\n`,
        OK,
      ],
      8,
      { security: 'starttls', credentials: { user: 'u', password: 'p' } },
    ],
  ];
  test.each(dialogues)('%s: taken, also byte by byte, and lost at any byte', (_name, words, doubtFrom, options) => {
    const { said, outcomes } = converse(words, { options });
    expect(outcomes).toMatchObject([{ kind: 'accepted' }]);
    expect(converse(words, { options, cut: bytewise })).toMatchObject({ said, outcomes });
    const whole = words.join('');
    const doubt = words.slice(0, doubtFrom).join('').length;
    for (let at = 0; at < whole.length; at += 1) {
      // STARTTLS forbids words ahead of their time, so the words stay apart.
      const cutWords = words
        .map((word, i) => word.slice(0, Math.max(0, at - words.slice(0, i).join('').length)))
        .filter((word) => word !== '');
      const lost = converse(cutWords, { options, cut: bytewise });
      expect(lost.closed).toBe(true);
      expect(lost.outcomes).toMatchObject([{ kind: at < doubt ? 'trouble' : 'uncertain' }]);
    }
  });

  test('commands go together where the server allows it; a refusal within leaves the connection usable', () => {
    const good = ['220 x\r\n', hello('PIPELINING', 'SIZE 99', 'DSN', '8BITMIME'), `${OK}${OK}354 go\r\n`, OK];
    expect(converse(good, { envelope: { ...ENVELOPE, id: 'd+1' } }).said).toBe(
      'EHLO us.example\r\nMAIL FROM:<returns+x@host.example> SIZE=25 RET=HDRS ENVID=d+2B1\r\nRCPT TO:<asa@post.example> NOTIFY=FAILURE,DELAY ORCPT=rfc822;asa@post.example\r\nDATA\r\nSubject: x\r\n\r\n..dot\r\nend\r\n.\r\n',
    );
    const refused = ['220 x\r\n', hello('PIPELINING'), `${OK}550 5.1.1 nobody\r\n554 no recipients\r\n`];
    expect(converse(refused).outcomes).toMatchObject([{ kind: 'refused', phase: 'recipient', reply: { enhanced: '5.1.1' } }]);
    // A server that wants content all the same gets an empty one, whose verdict does not count.
    const odd = converse(['220 x\r\n', hello('PIPELINING'), `${OK}550 5.1.1 nobody\r\n354 go\r\n`, OK]);
    expect(odd.outcomes).toMatchObject([{ kind: 'refused', phase: 'recipient' }]);
    expect(odd.said).toMatch(/DATA\r\n\.\r\n$/);
    // The connection breaks after the refusal: the refusal counts.
    expect(converse(['220 x\r\n', hello('PIPELINING'), `${OK}550 5.1.1 nobody\r\n`]).outcomes).toMatchObject([{ kind: 'refused' }]);
  });

  test('a chunk has its size and no dots', () => {
    expect(converse(['220 x\r\n', hello('CHUNKING', 'PIPELINING'), `${OK}${OK}`, OK]).said).toMatch(
      /BDAT 25 LAST\r\nSubject: x\r\n\r\n\.dot\r\nend\r\n$/,
    );
  });

  test('what the server cannot take is not begun', () => {
    expect(converse(['220 x\r\n', hello('SIZE 10')]).outcomes).toMatchObject([
      { kind: 'trouble', scope: 'message', cause: 'too-large', reason: expect.stringContaining('at most 10') },
    ]);
    expect(converse(['220 x\r\n', hello('SIZE')], { envelope: { ...ENVELOPE, to: 'ása@post.example' } }).outcomes).toMatchObject([
      { kind: 'trouble', scope: 'message', reason: expect.stringContaining('SMTPUTF8') },
    ]);
    expect(converse(['220 x\r\n', hello('SMTPUTF8', '8BITMIME')], { envelope: { ...ENVELOPE, to: 'ása@post.example' } }).said).toContain(
      'BODY=8BITMIME SMTPUTF8',
    );
  });

  test('a parameter that is refused is left out, and the email is tried again without it', () => {
    const parameters = ['220 x\r\n', hello('SIZE', 'DSN', 'PIPELINING')];
    const envelope = { ...ENVELOPE, id: 'd1' };
    for (const refusal of ['555 5.5.4 unsupported\r\n', '501 syntax\r\n', '504 not so\r\n']) {
      const { said, outcomes } = converse([...parameters, `${refusal}503 no\r\n503 no\r\n`, `${OK}${OK}${OK}354 go\r\n`, OK], { envelope });
      expect(outcomes).toMatchObject([{ kind: 'accepted' }]);
      expect(said).toContain('SIZE=25 RET=HDRS ENVID=d1');
      expect(said).toContain(`RSET\r\nMAIL FROM:<${ENVELOPE.from}>\r\nRCPT TO:<${ENVELOPE.to}>\r\nDATA\r\n`);
    }
    const atRecipient = converse([...parameters, `${OK}555 no DSN\r\n503 no\r\n`, `${OK}${OK}${OK}354 go\r\n`, OK], { envelope });
    expect(atRecipient.outcomes).toMatchObject([{ kind: 'accepted' }]);
    expect(atRecipient.said).toContain(`MAIL FROM:<${ENVELOPE.from}> SIZE=25\r\nRCPT TO:<${ENVELOPE.to}>\r\nDATA`);
    // Once: what is refused without parameters too is refused.
    const twice = converse([...parameters, '555 no\r\n503 no\r\n503 no\r\n', `${OK}555 no\r\n503 no\r\n503 no\r\n`], { envelope });
    expect(twice.outcomes).toMatchObject([{ kind: 'trouble', scope: 'message', phase: 'sender' }]);
    // An address that is not well-formed is not about parameters.
    const address = converse([...parameters, `${OK}501 5.1.3 bad address\r\n503 no\r\n`], { envelope });
    expect(address.outcomes).toMatchObject([{ kind: 'refused', phase: 'recipient' }]);
  });

  test('where BDAT is refused the email is sent by DATA', () => {
    const words = [
      '220 x\r\n',
      hello('CHUNKING', 'PIPELINING'),
      `${OK}${OK}`,
      '503 5.5.1 no BDAT here\r\n',
      `${OK}${OK}${OK}354 go\r\n`,
      OK,
    ];
    const { said, outcomes } = converse(words);
    expect(outcomes).toMatchObject([{ kind: 'accepted' }]);
    expect(said).toMatch(/BDAT 25 LAST\r\n[^]*RSET\r\nMAIL FROM[^]*DATA\r\n[^]*\r\n\.\r\n$/);
  });

  group('security', () => {
    const password = { user: 'u', password: 'p' };
    test('what is asked for and not offered is told, and nothing is said before', () => {
      const { outcomes, said } = converse(['220 x\r\n', hello('AUTH PLAIN')], { options: { security: 'starttls', credentials: password } });
      expect(outcomes).toMatchObject([{ kind: 'trouble', phase: 'secure', reason: expect.stringContaining('STARTTLS') }]);
      expect(said).toBe('EHLO us.example\r\n');
      expect(converse(['220 x\r\n', hello('SIZE')], { options: { security: 'opportunistic' } }).said).toContain('MAIL FROM');
    });
    test('words that were put in before the connection was secure are not believed', () => {
      const { outcomes } = converse(['220 x\r\n', hello('STARTTLS'), `220 go\r\n${hello('AUTH PLAIN')}`], {
        options: { security: 'starttls' },
      });
      expect(outcomes).toMatchObject([{ kind: 'trouble' }]);
    });
    test('a password does not travel over an open line', () => {
      const open = (ways: string, more = {}) =>
        converse(['220 x\r\n', hello(`AUTH ${ways}`)], { options: { credentials: password, ...more } });
      expect(open('PLAIN LOGIN').outcomes).toMatchObject([
        { kind: 'trouble', phase: 'login', reason: expect.stringContaining('not secure') },
      ]);
      expect(open('PLAIN', { openLogin: true }).said).toContain(`AUTH PLAIN ${Buffer.from('\0u\0p').toString('base64')}\r\n`);
      expect(open('PLAIN CRAM-MD5').said).toContain('AUTH CRAM-MD5\r\n');
    });
    const secure = { security: 'implicit' as const };
    test('CRAM-MD5 as in RFC 2195', () => {
      const challenge = Buffer.from('<1896.697170952@postoffice.reston.mci.net>').toString('base64');
      const { said } = converse(['220 x\r\n', hello('AUTH CRAM-MD5'), `334 ${challenge}\r\n`], {
        options: { credentials: { user: 'tim', password: 'tanstaaftanstaaf' } },
      });
      expect(said).toContain(Buffer.from('tim b913a602c7eda7a495b4e6e7334d3890').toString('base64'));
    });
    test.each([
      ['OAUTHBEARER XOAUTH2', 'OAUTHBEARER', 'n,a=u,\u0001auth=Bearer t\u0001\u0001', 'AQ=='],
      ['XOAUTH2', 'XOAUTH2', 'user=u\u0001auth=Bearer t\u0001\u0001', ''],
    ])('a token by %s', (ways, name, initial, onRefusal) => {
      const { said, outcomes } = converse(['220 x\r\n', hello(`AUTH ${ways}`), '334 e30=\r\n', '535 5.7.8 no\r\n'], {
        options: { ...secure, credentials: { user: 'u', token: 't' } },
      });
      expect(said).toBe(`EHLO us.example\r\nAUTH ${name} ${Buffer.from(initial).toString('base64')}\r\n${onRefusal}\r\n`);
      expect(outcomes).toMatchObject([{ kind: 'trouble', phase: 'login', reply: { code: 535 } }]);
    });
  });

  test('a server that talks ahead or says good-bye while idle is left', () => {
    expect(converse([`${GOOD[0]}${GOOD[1]}421 bye\r\n`]).outcomes).toMatchObject([{ kind: 'trouble' }]);
  });

  test('falls back to HELO, and takes another mail on the same connection', () => {
    expect(converse(['220 x\r\n', '500 what\r\n', '250 x\r\n', '250 ok\r\n', '250 ok\r\n', '354 go\r\n', '250 ok\r\n'])).toMatchObject({
      outcomes: [{ kind: 'accepted' }],
    });
  });

  test.each(['\r', '\n', '\r\nRCPT TO:<other@host.example>', '\0', '<', '>', ' x', '> SIZE=1'])(
    'an address with %j is refused before anything is said, as sender and as recipient',
    (sign) => {
      for (const envelope of [
        { from: `a${sign}@host.example`, to: 'b@host.example' },
        { from: '', to: `b${sign}@host.example` },
        { from: '', to: `b@host.example${sign}` },
      ]) {
        const client = new ClientDialogue({ helloName: 'us' });
        client.receive(Buffer.from('220 x\r\n'));
        client.receive(Buffer.from('250 x\r\n'));
        const steps = client.deliver(envelope, MAIL);
        expect(steps.map((step) => step.kind)).not.toContain('send');
        expect(steps[0]).toMatchObject({ outcome: { kind: 'refused', reason: 'The address cannot be written in an SMTP command.' } });
      }
    },
  );

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

test('stuffing: dots at the start of a line are doubled, wherever pieces are cut', () => {
  const cases: [string, string][] = [
    ['', '.\r\n'],
    ['a', 'a\r\n.\r\n'],
    ['a\r\n.b\r\n..c\r\n', 'a\r\n..b\r\n...c\r\n.\r\n'],
    ['.', '..\r\n.\r\n'],
    ['a.b\r\n.\r\n.', 'a.b\r\n..\r\n..\r\n.\r\n'],
  ];
  for (const [raw, wanted] of cases) {
    for (let size = 1; size <= raw.length + 1; size += 1) {
      const pieces = raw.match(new RegExp(`[^]{1,${size}}`, 'g')) ?? [];
      const mail = { size: raw.length, chunks: () => pieces.map((piece) => Buffer.from(piece)) };
      expect(wholeOf({ ...stuffed(mail), size: wanted.length }).toString()).toBe(wanted);
    }
  }
  expect(wholeOf(foreignMail(Buffer.from('a\n.b\r\rc\r\n'))).toString()).toBe('a\r\n.b\r\n\r\nc\r\n');
  expect(bytesOf(Buffer.from('x')).size).toBe(1);
});

group('server', () => {
  function serve(
    input: string,
    cut = 1_000_000,
    recipient: (to: string) => Answer = () => ({ code: 250, text: 'ok' }),
    more: Partial<ServerOptions> = {},
  ) {
    const server = new ServerDialogue({ name: 'us', maxBytes: 200, maxRecipients: 2, ...more });
    const emails: { readonly from: string; readonly to: readonly string[]; readonly bytes: string }[] = [];
    let pieces: Buffer[] = [];
    let said = '';
    const take = (steps: ReturnType<ServerDialogue['receive']>): void => {
      for (const step of steps) {
        if (step.kind === 'send') said += Buffer.from(step.bytes).toString();
        else if (step.kind === 'ask-recipient') take(server.answer(recipient(step.envelope.to)));
        else if (step.kind === 'ask-mail') {
          const { from, to } = step.envelope;
          emails.push({ from, to, bytes: Buffer.concat(pieces).toString() });
          pieces = [];
          take(server.answer({ code: 250, enhanced: '2.0.0', text: 'kept' }));
        } else if (step.kind === 'content') pieces.push(step.bytes);
        else if (step.kind === 'discard') pieces = [];
        else said += '<closed>';
      }
    };
    take(server.greet());
    for (let at = 0; at < input.length; at += cut) take(server.receive(Buffer.from(input.slice(at, at + cut))));
    return {
      emails,
      codes: [...said.matchAll(/^(\d{3}) /gm)].map((found) => Number(found[1])),
      said,
    };
  }
  const TALK = 'EHLO a\r\nMAIL FROM:<> BODY=8BITMIME\r\nRCPT TO:<b@c>\r\nDATA\r\n..x\r\n\r\n.\r\nQUIT\r\n';

  test('takes an email, pipelined or byte by byte', () => {
    const whole = serve(TALK);
    expect(whole.emails).toEqual([{ from: '', to: ['b@c'], bytes: '.x\r\n\r\n' }]);
    expect(whole.codes).toEqual([220, 250, 250, 250, 354, 250, 221]);
    expect(serve(TALK, 1).emails).toEqual(whole.emails);
  });

  test('refuses what is out of order, unknown, too big or too much', () => {
    expect(serve('MAIL FROM:<a@b>\r\nEHLO a\r\nDATA\r\nRCPT TO:<a@b>\r\nFOO\r\nMAIL TO:<>\r\n').codes).toEqual([
      220, 503, 250, 503, 503, 500, 501,
    ]);
    expect(
      serve(
        `EHLO a\r\nMAIL FROM:<a@b> SIZE=201\r\nMAIL FROM:<a@b>\r\nRCPT TO:<b@c>\r\nDATA\r\n${'x'.repeat(150)}\r\n${'x'.repeat(150)}\r\n.\r\n`,
      ),
    ).toMatchObject({ emails: [], codes: [220, 250, 552, 250, 250, 354, 552] });
    expect(serve('EHLO a\r\nMAIL FROM:<a@b>\r\nRCPT TO:<a@b>\r\nDATA\r\n', 100, () => ({ code: 550, text: 'no' })).codes).toEqual([
      220, 250, 250, 550, 503,
    ]);
    expect(serve('x\r\n'.repeat(30)).said).toContain('421 4.7.0 Too many errors\r\n<closed>');
    expect(serve('y'.repeat(3000)).said).toContain('<closed>');
  });

  const upTo = 'EHLO a\r\nMAIL FROM:<a@b>\r\nRCPT TO:<c@d>\r\nDATA\r\n';
  const SMUGGLED = 'MAIL FROM:<evil@b>\r\nRCPT TO:<victim@d>\r\nDATA\r\nhello\r\n.\r\n';
  test.each(['\n.\n', '\n.\r\n', '\r\n.\n', '\r.\r', '\r\n.\r', '\r.\r\n', '\n.\r'])(
    'a dot between %j does not end an email: nothing is smuggled behind it',
    (end) => {
      for (const cut of [1_000_000, 1, 3]) {
        const { emails, said } = serve(`${upTo}x${end}${SMUGGLED}`, cut);
        expect(emails).toEqual([]);
        expect(said).toMatch(/550 5\.5\.2 Lines must end with CRLF\r\n<closed>$/);
      }
      const repaired = serve(`${upTo}x${end}${SMUGGLED}`, 1, undefined, { repairsLineEnds: true, maxBytes: 2000 });
      expect(repaired.emails).toHaveLength(1);
      expect(repaired.emails[0]).toMatchObject({ from: 'a@b', to: ['c@d'] });
      expect(repaired.emails[0]!.bytes.replaceAll('\r\n', '')).not.toMatch(/[\r\n]/);
    },
  );

  test('what is sent is what is received, however it is cut: dots, line ends at borders, nothing at all', () => {
    const line = fc.string({ unit: fc.constantFrom('.', 'a', ' ', '..'), maxLength: 6 });
    fc.assert(
      fc.property(fc.array(line), fc.integer({ min: 1, max: 9 }), (lines, cut) => {
        const mail = lines.map((text) => `${text}\r\n`).join('');
        const sent = wholeOf({ ...stuffed({ size: mail.length, chunks: () => [Buffer.from(mail)] }), size: 10_000 })
          .toString()
          .replace(/\0+$/, '');
        expect(serve(`${upTo}${sent}QUIT\r\n`, cut, undefined, { maxBytes: 2000 }).emails.map(({ bytes }) => bytes)).toEqual([mail]);
      }),
    );
  });

  test('commands end with CRLF alone', () => {
    for (const input of ['EHLO a\nMAIL FROM:<a@b>\r\n', 'EHLO a\rMAIL FROM:<a@b>\r\n', 'EHLO a\n'])
      expect(serve(input, 1).said).toMatch(/550 5\.5\.2 Lines must end with CRLF\r\n<closed>$/);
  });

  test('what was not offered is refused, RSET does not stand for EHLO, and a browser is sent away', () => {
    const codes = (input: string): number[] => serve(input).codes.slice(1);
    expect(
      codes('EHLO a\r\nMAIL FROM:<a@b> BODY=BINARYMIME\r\nMAIL FROM:<a@b> RET=FULL\r\nMAIL FROM:<a@b> SIZE=5 BODY=8BITMIME SMTPUTF8\r\n'),
    ).toEqual([250, 555, 555, 250]);
    expect(codes('EHLO a\r\nMAIL FROM:<a@b>\r\nRCPT TO:<c@d> NOTIFY=NEVER\r\nRCPT TO:<c@d>\r\n')).toEqual([250, 250, 555, 250]);
    expect(codes('RSET\r\nMAIL FROM:<a@b>\r\n')).toEqual([250, 503]);
    expect(codes('HELP\r\nEXPN x\r\nNOOP x\r\nVRFY x\r\n')).toEqual([214, 502, 250, 252]);
    expect(serve('POST / HTTP/1.1\r\nHost: x\r\n\r\nMAIL FROM:<a@b>\r\n').said).toMatch(/421 4\.7\.0 This is SMTP\r\n<closed>$/);
  });
});

test.each([
  ['<a@d.example>', 'a@d.example', ''],
  ['<a@d.example.>  SIZE=1', 'a@d.example', 'SIZE=1'],
  ['<@one.example,@two.example:a@d.example>', 'a@d.example', ''],
  ['<"a>b"@d.example> X', '"a>b"@d.example', 'X'],
  ['<"a\\"b"@d.example>', '"a\\"b"@d.example', ''],
  ['<>', '', ''],
  ['<a@d.example', undefined, ''],
  ['a@d.example', undefined, ''],
  ['<a@d.example>X', undefined, ''],
  ['<a<b@d.example>', undefined, ''],
  ['<"a@d.example>', undefined, ''],
])('the path %s', (text, mailbox, rest) => {
  expect(readPath(text)).toEqual(mailbox === undefined ? undefined : { mailbox, rest });
});
