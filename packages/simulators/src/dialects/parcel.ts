import { createHmac } from 'node:crypto';
import { fieldIn, type Dialect, type News } from './dialect.js';

function newsOf({ nr, id, address, outcome }: News): object {
  const failed = outcome === 'report-failed';
  const what = failed ? 'came-back' : outcome === 'complain' ? 'minded' : 'arrived';
  const answer = failed ? { code: 550, enhanced: '5.1.1', text: `550 5.1.1 <${address}>: no such mailbox` } : undefined;
  return { nr, what, ...(failed ? { how: 'hard' } : {}), letter: id, when: new Date().toISOString(), answer };
}

const failure = (words: string, more: object = {}): string => JSON.stringify({ failure: { words, ...more } });

/** POST /v2/letters, JSON with attachments inline, "Authorization: Token KEY"; calls are signed by HMAC-SHA256 over time and body. */
export const PARCEL: Dialect = {
  isKnown: (request, key) => fieldIn(request, 'authorization') === `Token ${key}`,
  read: ({ body }) => {
    const letter = JSON.parse(body.toString('utf8')) as {
      addressee: { mail: string };
      title: string;
      enclosed?: { label: string; data: string }[];
      extra?: Record<string, string>;
    };
    return {
      to: letter.addressee.mail,
      subject: letter.title,
      attachments: (letter.enclosed ?? []).map(({ label, data }) => ({ name: label, bytes: Buffer.from(data, 'base64').length })),
      mail: undefined,
      headers: letter.extra ?? {},
    };
  },
  unknownCaller: { status: 401, body: failure('token not known') },
  accepted: (id) => ({ status: 201, body: JSON.stringify({ letter: { id, accepted: true } }) }),
  refused: (address) => ({ status: 422, body: failure(`no mailbox for ${address}`, { kind: 'addressee_unknown', smtp: '5.1.1' }) }),
  later: { status: 429, body: failure('try again later'), headers: { 'Retry-After': '0' } },
  withoutId: { status: 200, body: '{}' },
  call: (news, { url, secret, now }) => {
    const body = JSON.stringify({ news: news.map(newsOf) });
    const time = String(Math.floor(now / 1000));
    const signature = createHmac('sha256', secret).update(`${time}.${body}`).digest('hex');
    return { url, body, headers: { 'Content-Type': 'application/json', 'X-Parcel-Time': time, 'X-Parcel-Signature': signature } };
  },
};
