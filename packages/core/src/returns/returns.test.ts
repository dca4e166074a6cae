import { describe as group, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { deliveryOfReplyLocal, deliveryOfToken, fingerprintOf, readReturn, replyLocal, returnToken, tokenOf } from './index.js';

const SECRET = Buffer.from('a secret of the test');
const ID = 'd01m83nvyfhj8chwvmn57zjz7';

test('a token is ours, or it is nothing', () => {
  const token = returnToken(SECRET, ID);
  expect(`returns+${token}`.length).toBeLessThanOrEqual(64);
  expect(deliveryOfToken(SECRET, token.toUpperCase())).toBe(ID);
  expect(deliveryOfToken(Buffer.from('another'), token)).toBeUndefined();
  expect(tokenOf(`returns+${token}@returns.example`)).toBe(token);
  expect(tokenOf('returns@returns.example')).toBeUndefined();
  fc.assert(
    fc.property(fc.nat(token.length - 1), fc.constantFrom('a', '2', '-', 'z'), (at, sign) => {
      const forged = token.slice(0, at) + sign + token.slice(at + 1);
      expect(deliveryOfToken(SECRET, forged)).toBe(forged === token ? ID : undefined);
    }),
  );
});

test('an address for answers is ours, or it is nothing; a token of one purpose is none of the other', () => {
  const local = replyLocal(SECRET, ID);
  expect(local.length).toBeLessThanOrEqual(64);
  expect(deliveryOfReplyLocal(SECRET, local.toUpperCase())).toBe(ID);
  expect(deliveryOfReplyLocal(Buffer.from('another'), local)).toBeUndefined();
  expect(deliveryOfReplyLocal(SECRET, `reply+${returnToken(SECRET, ID)}`)).toBeUndefined();
  expect(deliveryOfToken(SECRET, local.slice('reply+'.length))).toBeUndefined();
  expect(deliveryOfReplyLocal(SECRET, local.replace('reply+', 'returns+'))).toBeUndefined();
});

const report = (fields: string, returned = 'Content-Type: text/rfc822-headers\n\nMessage-ID: <m1@us.example>\nSubject: x\n') =>
  Buffer.from(
    `From: MAILER-DAEMON@mx.example\nContent-Type: multipart/report; report-type=delivery-status; boundary="b"\n\n--b\n\nSorry.\n\n--b\nContent-Type: message/delivery-status\n\nReporting-MTA: dns; mx.example\nOriginal-Envelope-Id: env-1\n\n${fields}\n\n--b\n${returned}\n--b--\n`.replace(
      /\n/g,
      '\r\n',
    ),
  );

test('a delivery status notification (RFC 3464)', () => {
  const reading = readReturn(
    report(
      'Final-Recipient: rfc822; nobody@post.example\nAction: failed\nStatus: 5.1.1\nRemote-MTA: dns; mx\nDiagnostic-Code: smtp; 550 5.1.1\n  <nobody@post.example>:\n User unknown',
    ),
  );
  expect(reading).toMatchObject({
    kind: 'delivery-status',
    originalMessageId: 'm1@us.example',
    envelopeId: 'env-1',
    recipients: [
      {
        address: 'nobody@post.example',
        action: 'failed',
        status: '5.1.1',
        replyCode: 550,
        cause: 'mailbox-unknown',
        permanent: true,
        diagnostic: '550 5.1.1 <nobody@post.example>: User unknown',
      },
    ],
  });
});

test('several recipients with different outcomes, the original recipient before the final one', () => {
  const reading = readReturn(
    report(
      'Original-Recipient: rfc822;alias@a.example\nFinal-Recipient: rfc822;real@b.example\nAction: delayed (will retry)\nStatus: 4.4.1\n\nFinal-Recipient: rfc822; c@d.example\nAction: relayed\nStatus: 2.0.0',
    ),
  );
  expect(reading.recipients.map((recipient) => [recipient.address, recipient.action, recipient.permanent])).toEqual([
    ['alias@a.example', 'delayed', false],
    ['c@d.example', 'relayed', false],
  ]);
});

test('the returned mail may be whole, and what is no report is other', () => {
  expect(
    readReturn(
      report(
        'Final-Recipient: rfc822; a@b.example\nAction: failed\nStatus: 5.0.0',
        'Content-Type: message/rfc822\n\nMessage-ID: <m2@us.example>\n\nbody',
      ),
    ).originalMessageId,
  ).toBe('m2@us.example');
  expect(readReturn(Buffer.from('Subject: I am away\r\n\r\nUntil Monday.'))).toMatchObject({ kind: 'other', recipients: [] });
});

test('never throws', () => {
  fc.assert(fc.property(fc.uint8Array({ maxLength: 2000 }), (bytes) => void readReturn(bytes)));
});

const MIME_BODY = `--b1
Content-Type: text/plain

Your message could not be delivered.

<asa@post.example>: host mx.post.example said: 550 5.1.1 User unknown (in reply to RCPT TO command)

--b1
Content-Type: message/delivery-status

Reporting-MTA: dns; mx.post.example

Final-Recipient: rfc822; asa@post.example
Action: failed
Status: 5.1.1
Diagnostic-Code: smtp; 550 5.1.1 User unknown

--b1
Content-Type: message/rfc822

From: harbour@saltmarsh-ferries.example
To: asa@post.example
Subject: Your booking
Message-ID: <m01@saltmarsh-ferries.example>

hello
--b1--
`;
const withType = (type: string): string =>
  `From: MAILER-DAEMON@mx.post.example\nTo: returns+d01abc-xyz@r.example\nSubject: Undelivered Mail Returned to Sender\n${type}\n${MIME_BODY}`;

test.each([
  'Content-Type: multipart/report; report-type=delivery-status; boundary="b1"\n',
  'Content-Type: multipart/report; report-type=delivery-status\n',
  'Content-Type: multipart/report; report-type=delivery-status; boundary="b1\n',
  'Content-Type: multipart/report; report-type=delivery-status; boundary=b1 x\n',
  'Content-Type: multipart/report report-type=delivery-status boundary=b1\n',
  "Content-Type: multipart/mixed;boundary='b1'\n",
  'Content-Type: multipart/report; boundary=another\n',
  'Content-Type: multipart; boundary=b1\n',
  'Content-Type: =?utf-8?q?multipart/report?=; boundary=b1\n',
  'Content-Type: text/plain\n',
  'Content-Type: application/octet-stream\n',
  '',
])('a report whose Content-Type is damaged is read: %s', (type) => {
  expect(readReturn(Buffer.from(withType(type)))).toMatchObject({
    kind: 'delivery-status',
    originalMessageId: 'm01@saltmarsh-ferries.example',
    recipients: [{ address: 'asa@post.example', action: 'failed', status: '5.1.1', cause: 'mailbox-unknown' }],
  });
});

test('the same report by another way has the same fingerprint, and another report has not', () => {
  const mail = withType(
    'Content-Type: multipart/report; report-type=delivery-status; boundary="b1"\nDate: Fri, 27 Nov 2026 08:00:00 +0000\n',
  );
  const of = (text: string): string => fingerprintOf(Buffer.from(text));
  const ways = [
    mail.replaceAll('\n', '\r\n'),
    `Received: from mx2.example by mx3.example; Fri, 27 Nov 2026 08:01:00 +0000\n${mail}`,
    `Return-Path: <>\nDelivered-To: office@ferries.example\nX-Spam: no\n${mail}`,
    `From MAILER-DAEMON Fri Nov 27 08:00:00 2026\n${mail}\n\n`,
    mail.replace('report-type=delivery-status; boundary', 'report-type=delivery-status;\n\tboundary'),
  ];
  expect(new Set(ways.map(of))).toEqual(new Set([of(mail)]));
  const mbox = mail.replace('\nYour message', '\nFrom here on:\nYour message');
  expect(of(mbox.replace('\nFrom here', '\n>From here'))).toBe(of(mbox));
  for (const other of [
    mail.replace('08:00:00', '08:00:01'),
    mail.replace('d01abc-xyz', 'd02abc-xyz'),
    mail.replace('User unknown', 'Mailbox full'),
    mail.replace('Action: failed', 'Action: delayed'),
    mail.replace('m01@', 'm02@'),
  ])
    expect(of(other)).not.toBe(of(mail));
  expect(of('')).toHaveLength(64);
});

test('feedback reports: only who minds an email complains', () => {
  const report = (type: string): string => `From: feedback@post.example
To: returns+d01abc-xyz@r.example
Subject: FW: Your booking
Content-Type: multipart/report; report-type=feedback-report; boundary=f

--f
Content-Type: message/feedback-report

Feedback-Type: ${type}
User-Agent: Reports/1
Original-Rcpt-To: asa@post.example

--f
Content-Type: message/rfc822

From: harbour@saltmarsh-ferries.example
To: asa@post.example
Message-ID: <m01@saltmarsh-ferries.example>
Subject: Your booking

x
--f--
`;
  for (const type of ['abuse', 'fraud', 'Abuse'])
    expect(readReturn(Buffer.from(report(type)))).toMatchObject({
      kind: 'complaint',
      recipients: [{ address: 'asa@post.example', action: 'delivered' }],
    });
  for (const type of ['virus', 'other', 'not-spam', 'auth-failure', 'opt-out', 'miscategorized', 'something-new'])
    expect(readReturn(Buffer.from(report(type)))).toMatchObject({
      kind: 'feedback',
      feedbackType: type,
      recipients: [],
      about: ['asa@post.example'],
      originalMessageId: 'm01@saltmarsh-ferries.example',
    });
});

test('a report that gave up since no name server answered says nothing for good', () => {
  const words = 'Host or domain name not found. Name service error for name=post.example type=MX: Host not found, try again';
  const read = readReturn(
    Buffer.from(
      `From: MAILER-DAEMON@mx.example\nSubject: Undelivered Mail Returned to Sender\nContent-Type: multipart/report; boundary=b\n\n--b\nContent-Type: message/delivery-status\n\nReporting-MTA: dns; mx.example\n\nFinal-Recipient: rfc822; asa@post.example\nAction: failed\nStatus: 5.4.3\nDiagnostic-Code: X-Mx; ${words}\n\n--b--\n`,
    ),
  );
  expect(read.recipients).toMatchObject([{ cause: 'unroutable', permanent: false, action: 'failed' }]);
});

test('a recipient with "+" and "=" in its address has no token of ours', () => {
  const to = (address: string) => readReturn(Buffer.from(`From: MAILER-DAEMON@mx.example\nTo: ${address}\nSubject: x\n\nx\n`)).token;
  expect(to('asa+news=2026@post.example')).toBeUndefined();
  expect(to('Returns+d01abc-xyz@r.example')).toBe('d01abc-xyz');
});

group('reports in prose of systems that keep to no standard', () => {
  const read = (text: string, subject = 'Delivery failed') =>
    readReturn(
      Buffer.from(
        `From: Mail Delivery <mailer-daemon@mx.example>\nTo: returns+d01abc-xyz@r.example\nSubject: ${subject}\nReturn-Path: <>\n\n${text}`,
      ),
    ).recipients;

  test('several reports for several recipients of one mail: each has its own reason', () => {
    const two = `Delivery to asa@post.example failed: user unknown.\n\n---\n\nDelivery to liv@post.example failed: mailbox full.\n`;
    const expected = [
      { address: 'asa@post.example', cause: 'mailbox-unknown' },
      { address: 'liv@post.example', cause: 'mailbox-full' },
    ];
    expect(read(two)).toMatchObject(expected);
    expect(read(two.replace('\n---\n', ''))).toMatchObject(expected);
  });

  test('given up after days, with a temporary last reply: it ran out of time, and nothing is known for good', () => {
    const days =
      'Your message to <asa@post.example> was not delivered after 5 days and was given up.\nThe last reply was: 451 4.3.0 Temporary local problem, try again later\n';
    expect(read(days)).toMatchObject([{ action: 'failed', cause: 'expired', permanent: false, replyCode: 451 }]);
    const full = days.replace('451 4.3.0 Temporary local problem, try again later', '452 4.2.2 mailbox full');
    expect(read(full)).toMatchObject([{ action: 'failed', cause: 'mailbox-full', permanent: false }]);
    const refused = days.replace('451 4.3.0 Temporary local problem, try again later', '550 5.1.1 user unknown');
    expect(read(refused)).toMatchObject([{ action: 'failed', cause: 'mailbox-unknown', permanent: true }]);
  });
});
