import { createHmac } from 'node:crypto';
import { fieldIn, type Dialect, type News } from './dialect.js';

function newsOf({ nr, id, address, outcome }: News): object {
  const state = outcome === 'report-failed' ? 'Return-Permanent' : outcome === 'complain' ? 'Abuse' : 'Done';
  const note = outcome === 'report-failed' ? '550 5.1.1 no such mailbox' : '';
  return { no: nr, items: [{ slip: id, who: address, state, note }] };
}

const said = (state: string, more: object): string => JSON.stringify({ state, ...more });

/**
 * POST /slips, a form with bracketed names, basic authentication; the answer is always 200, and whether it was accepted stands inside. Calls are a
 * form of which one field is base64 of JSON, signed by HMAC-SHA1 over the address and all fields in order.
 */
export const SLIP: Dialect = {
  isKnown: (request, key) => fieldIn(request, 'authorization') === `Basic ${Buffer.from(`box:${key}`).toString('base64')}`,
  read: ({ body }) => {
    const fields = new URLSearchParams(body.toString('utf8'));
    const files = [...fields].filter(([name]) => /^files\[\d+\]\[data\]$/.test(name));
    return {
      to: fields.get('to[address]') ?? '',
      subject: fields.get('subject') ?? '',
      attachments: files.map(([name, data]) => ({
        name: fields.get(name.replace('[data]', '[name]')) ?? '',
        bytes: Buffer.from(data, 'hex').length,
      })),
      mail: undefined,
      headers: Object.fromEntries([...fields].filter(([name]) => name.startsWith('tags['))),
    };
  },
  unknownCaller: { status: 401, body: said('denied', { why: 'box or key not known' }) },
  accepted: (id, address) => ({ status: 200, body: said('done', { results: [{ who: address, state: 'queued', slip: id }] }) }),
  refused: (address) => ({
    status: 200,
    body: said('done', { results: [{ who: address, state: 'dropped', why: 'recipient is on our suppression list' }] }),
  }),
  later: { status: 200, body: said('later', { why: 'too many slips', wait: 0 }) },
  withoutId: { status: 200, body: said('done', { results: [] }) },
  call: (news, { url, secret }) => {
    const fields: [string, string][] = [
      ['kind', 'slips'],
      ['payload', Buffer.from(JSON.stringify({ groups: news.map(newsOf) })).toString('base64')],
    ];
    const signed = url + fields.map(([name, value]) => name + value).join('');
    const seal = createHmac('sha1', secret).update(signed).digest('base64');
    return {
      url,
      body: new URLSearchParams(fields).toString(),
      headers: { 'Content-Type': 'application/x-www-form-urlencoded', 'X-Slip-Seal': seal },
    };
  },
};
