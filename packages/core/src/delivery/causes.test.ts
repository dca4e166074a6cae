import { describe, expect, test } from '@jest/globals';
import { costsAtMost } from '../../../../tests/support/cpu.js';
import { CAUSE_TABLE, causeOf, readCause, type Cause } from './index.js';

/** Status, reply code, what was said, why. */
const SAID: [string | undefined, number | undefined, string, Cause][] = [
  ['5.6.0', 554, '554 5.6.0 The message contains a malformed address header', 'content'],
  ['5.6.0', 550, '550 5.6.0 InvalidCharacter, invalid address in the content', 'content'],
  ['5.7.0', 552, '552 5.7.0 This message was blocked because its content presents a potential security issue', 'content'],
  ['5.7.1', 554, '554 5.7.1 Your message was blocked: attachments of type zip are not accepted', 'content'],
  [undefined, 554, '554 No SMTP service here', 'unreachable'],
  [undefined, 554, '554 mx.post.example ESMTP not accepting messages', 'unreachable'],
  ['5.3.2', 554, '554 5.3.2 system not accepting network messages', 'unreachable'],
  [undefined, 554, '554 Connections from your network are refused by policy', 'policy'],
  ['5.4.3', undefined, 'Name service error for name=post.example type=MX: Host not found, try again', 'unroutable'],
  [
    '4.4.3',
    undefined,
    'Host or domain name not found. Name service error for name=post.example type=MX: Host not found, try again',
    'unroutable',
  ],
  ['5.4.4', undefined, 'unable to look up host post.example: Temporary failure in name resolution', 'unroutable'],
  ['5.7.133', 550, '550 5.7.133 RESOLVER.RST.SenderNotAuthenticatedForGroup; authentication required', 'policy'],
  [undefined, 550, '550 Only members may post to this group', 'policy'],
  [undefined, undefined, 'unrecognised O/R name', 'mailbox-unknown'],
  [undefined, 550, '550 The recipient is not listed in the domain directory', 'mailbox-unknown'],
  ['4.7.0', 454, '454 4.7.0 TLS not available due to local problem', 'system'],
  [undefined, 454, '454 TLS not available due to temporary reason', 'system'],
  [undefined, 535, '535 no usable login found', 'authentication'],
  [undefined, 535, '535 token expired', 'authentication'],
  [undefined, 530, '530 Authentication required', 'authentication'],
  ['5.1.1', 550, '550 5.1.1 <x@post.example>: Recipient address rejected: User unknown in local recipient table', 'mailbox-unknown'],
  ['5.0.0', 550, '550 sorry, no mailbox here by that name (#5.1.1)', 'mailbox-unknown'],
  [undefined, 550, "554 delivery error: dd This user doesn't have a post.example account", 'mailbox-unknown'],
  [undefined, 550, '550 Requested action not taken: mailbox unavailable', 'mailbox-unknown'],
  ['5.4.1', 550, '550 5.4.1 Recipient address rejected: Access denied', 'mailbox-unknown'],
  ['5.1.10', 550, '550 5.1.10 RESOLVER.ADR.RecipientNotFound; Recipient not found by SMTP address lookup', 'mailbox-unknown'],
  ['4.1.1', 450, '450 4.1.1 <x@post.example>: user unknown', 'mailbox-unknown'],
  [undefined, 550, '550 Utilisateur inconnu', 'mailbox-unknown'],
  [undefined, 550, '550 El usuario asa@post.example no existe', 'mailbox-unknown'],
  [undefined, 550, '550 Benutzer asa@post.example unbekannt', 'mailbox-unknown'],
  [undefined, 550, '550 该用户不存在', 'mailbox-unknown'],
  [undefined, 550, '550 Пользователь не найден', 'mailbox-unknown'],
  ['5.2.1', 550, '550 5.2.1 The email account that you tried to reach is inactive', 'mailbox-disabled'],
  [undefined, 550, '550 This account has been suspended', 'mailbox-disabled'],
  ['5.7.17', 550, '550 5.7.17 Mailbox owner has changed', 'mailbox-disabled'],
  ['5.2.2', 552, "552 5.2.2 The recipient's inbox is out of storage space", 'mailbox-full'],
  ['5.1.1', 550, '550 5.1.1 mailbox full', 'mailbox-full'],
  ['4.2.2', 452, 'Quota exceeded (mailbox for user is full)', 'mailbox-full'],
  [undefined, 552, '552 Postfach ist voll', 'mailbox-full'],
  ['5.2.0', undefined, 'maildir delivery failed: error writing message: Disk quota exceeded', 'mailbox-full'],
  ['5.1.2', undefined, 'Host unknown (Name server: post.exmaple: host not found)', 'domain-unknown'],
  ['5.1.10', 556, '556 5.1.10 Recipient address has null MX', 'domain-unknown'],
  ['5.0.0', undefined, 'all relevant MX records point to non-existent hosts', 'domain-unknown'],
  ['5.7.1', 554, '554 5.7.1 <x@post.example>: Relay access denied', 'unroutable'],
  [undefined, 553, "553 sorry, that domain isn't in my list of allowed rcpthosts (#5.7.1)", 'unroutable'],
  ['5.0.0', undefined, 'Unrouteable address', 'unroutable'],
  ['5.1.3', 501, '501 5.1.3 Bad recipient address syntax', 'address-syntax'],
  ['5.7.1', 550, '550 5.7.1 Message rejected by policy', 'policy'],
  ['5.1.8', 553, '553 5.1.8 <x@us.example>: Sender address rejected: Domain not found', 'policy'],
  ['5.7.129', 550, "550 5.7.129 You don't have permission to send to this group", 'policy'],
  ['5.7.1', 554, '554 5.7.1 Service unavailable; Client host [192.0.2.1] blocked using list.example', 'reputation'],
  ['5.7.25', 550, '550 5.7.25 The sending address has no reverse DNS', 'reputation'],
  ['5.7.1', 550, '550 5.7.1 Your IP has a poor reputation', 'reputation'],
  ['5.7.1', 550, '550 5.7.1 likely unsolicited mail; to reduce the amount of spam it has been blocked', 'content'],
  [undefined, 552, '552 Virus found in the attachment', 'content'],
  ['5.7.26', 550, '550 5.7.26 This mail is unauthenticated: neither SPF nor DKIM passed', 'authentication'],
  ['5.7.509', 550, '550 5.7.509 sending domain does not pass DMARC verification', 'authentication'],
  ['5.3.4', 552, '552 5.3.4 Message size exceeds fixed maximum message size', 'too-large'],
  ['5.0.0', undefined, 'message is too big for the transport', 'too-large'],
  ['4.7.0', 421, '421 4.7.0 temporarily rate limited due to an unusual rate of mail', 'rate-or-greylist'],
  [
    '5.2.1',
    550,
    '550 5.2.1 The user you are trying to contact is receiving mail at a rate that prevents additional messages',
    'rate-or-greylist',
  ],
  ['5.4.5', 550, '550 5.4.5 Daily user sending quota exceeded', 'rate-or-greylist'],
  ['4.4.1', undefined, 'connect to mail.post.example[192.0.2.1]:25: No route to host', 'unreachable'],
  ['4.4.2', undefined, 'lost connection with mail.post.example while receiving the initial server greeting', 'unreachable'],
  ['5.4.7', 550, '550 5.4.7 Delivery time expired', 'expired'],
  ['4.4.7', undefined, "I'm not going to try again; this message has been in the queue too long.", 'expired'],
  ['5.4.6', 554, '554 5.4.6 Too many hops', 'loop'],
  ['5.4.6', undefined, 'This message is looping: it already has my Delivered-To line.', 'loop'],
  ['4.3.0', 451, '451 4.3.0 Error: queue file write error', 'system'],
  ['4.3.1', 452, '452 4.3.1 Insufficient system storage', 'system'],
  [undefined, 554, '554 Transaction failed', 'other'],
];

test.each(SAID)('%s %s %j: %s', (status, replyCode, diagnostic, cause) => {
  expect(causeOf({ status, replyCode, diagnostic })).toBe(cause);
});

describe('the table', () => {
  test.each(CAUSE_TABLE.map((row) => [row.cause, row.example] as const))('%s: its own example', (cause, example) => {
    const found = /^(\d{3}) (?:(\d\.\d+\.\d+) )?/.exec(example);
    expect(causeOf({ status: found?.[2], replyCode: found === null ? undefined : Number(found[1]), diagnostic: example })).toBe(cause);
  });
  test('no code stands twice, and words are written as they are looked for', () => {
    const codes = CAUSE_TABLE.flatMap((row) => row.codes);
    expect(codes.filter((code, i) => codes.indexOf(code) !== i)).toEqual([]);
    for (const row of CAUSE_TABLE) for (const word of [...row.words, ...row.hints]) expect(word).toBe(word.toLowerCase());
  });
  test('it says what told the cause, and how sure that is', () => {
    expect(readCause({ status: '5.1.1', replyCode: 550, diagnostic: 'no' })).toEqual({
      cause: 'mailbox-unknown',
      confidence: 'sure',
      evidence: '5.1.1',
    });
    expect(readCause({ status: '5.0.0', replyCode: 550, diagnostic: 'Mailbox  FULL!' })).toMatchObject({
      confidence: 'sure',
      evidence: '“mailbox full”',
    });
    expect(readCause({ status: undefined, replyCode: 550, diagnostic: undefined })).toMatchObject({ confidence: 'guess', evidence: '550' });
  });
  test('no text takes long', () => {
    for (const piece of ['mailbox ', 'quota*', 'a@', '<', 'https://', '550-5.1.1 ', 'limit messages ']) {
      const diagnostic = piece.repeat(100_000);
      expect(costsAtMost(500, () => causeOf({ status: undefined, replyCode: undefined, diagnostic }))).toBe(true);
    }
  });
});
