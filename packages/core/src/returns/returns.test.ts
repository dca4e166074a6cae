import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { deliveryOfToken, readReturn, returnToken, tokenOf } from './index.js';

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
