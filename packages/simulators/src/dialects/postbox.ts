import { createPrivateKey, sign } from 'node:crypto';
import { fieldOf, parseParameters, readMail } from '@verbalis/core/mime';
import { fieldIn, type Dialect, type News } from './dialect.js';

function newsOf({ nr, id, address, outcome }: News): object {
  const failed = outcome === 'report-failed';
  return {
    uid: nr,
    event: failed ? 'BOUNCED' : outcome === 'complain' ? 'UNWANTED' : 'INBOX',
    receipt: id,
    rcpt: address,
    ts: Math.floor(Date.now() / 1000),
    diag: failed ? `smtp; 550 5.1.1 <${address}>: no such mailbox` : undefined,
  };
}

const errors = (text: string): string => JSON.stringify({ errors: [{ text }] });

/** POST /drop?via=raw, multipart form with the whole email, "X-Box-Key: KEY", a receipt in a header; calls are a list, signed by Ed25519. */
export const POSTBOX: Dialect = {
  isKnown: (request, key) => fieldIn(request, 'x-box-key') === key,
  read: (request) => {
    const form = readMail(Buffer.concat([Buffer.from(`Content-Type: ${fieldIn(request, 'content-type')}\r\n\r\n`), request.body]));
    const part = (name: string): Buffer => {
      const found = form.parts.find(
        (candidate) => parseParameters(fieldOf(candidate, 'content-disposition') ?? '').parameters['name'] === name,
      );
      return Buffer.from(found?.body ?? []);
    };
    const mail = readMail(part('mime'));
    return { to: part('rcpt').toString('utf8'), subject: fieldOf(mail, 'subject') ?? '', attachments: [], mail, headers: {} };
  },
  unknownCaller: { status: 401, body: errors('wrong key') },
  accepted: (id) => ({ status: 200, body: JSON.stringify({ ok: 1 }), headers: { 'X-Receipt': id } }),
  refused: (address) => ({ status: 400, body: errors(`user unknown: ${address}`) }),
  later: { status: 429, body: errors('try again later'), headers: { 'Retry-After': '0' } },
  withoutId: { status: 200, body: '{}' },
  call: (news, { url, secret }) => {
    const body = JSON.stringify(news.map(newsOf));
    const signature = sign(null, Buffer.from(body), createPrivateKey(secret)).toString('base64');
    return { url, body, headers: { 'Content-Type': 'application/json', 'X-Box-Signature': signature } };
  },
};
