import { createHash, createHmac } from 'node:crypto';
import { XMLParser } from 'fast-xml-parser';
import { fieldIn, type Dialect, type News, type Request } from './dialect.js';

const PARSER = new XMLParser({
  ignoreAttributes: false,
  attributeNamePrefix: '@',
  textNodeName: '#',
  parseTagValue: false,
  trimValues: false,
});

interface Entry {
  readonly entry: {
    readonly to: { readonly '@box': string };
    readonly title: string;
    readonly file?: Filed | readonly Filed[];
  };
}
interface Filed {
  readonly '@name': string;
  readonly '#': string;
}

function escaped(text: string): string {
  return text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/"/g, '&quot;');
}

const problem = (code: string, text: string): string => `<?xml version="1.0"?><problem code="${code}">${escaped(text)}</problem>`;
const XML = { 'Content-Type': 'application/xml' };

function newsOf({ nr, id, address, outcome }: News): string {
  const sort = outcome === 'report-failed' ? 'bounce.hard' : outcome === 'complain' ? 'feedback.spam' : 'arrival';
  return JSON.stringify({ n: nr, sort, entry: id, box: address, at: new Date().toUTCString() });
}

/** The seal of a request: a chain of keys, over a canonical text of it. */
function sealOf({ method, url, headers, body }: Request, key: string): string {
  const { pathname, search } = new URL(url, 'http://ledger');
  const date = headers['x-ledger-date'];
  const day = typeof date === 'string' ? date.slice(0, 8) : '';
  const text = [method, pathname, search.slice(1), String(date), createHash('sha256').update(body).digest('hex')].join('\n');
  const dayKey = createHmac('sha256', `LEDGER${key}`).update(day).digest();
  return createHmac('sha256', createHmac('sha256', dayKey).update('entries').digest()).update(text).digest('hex');
}

/**
 * PUT /entries?box=1, XML, each request signed over its parts by a key of the day; answers are XML. Calls are JSON lines with a secret in the
 * address.
 */
export const LEDGER: Dialect = {
  isKnown: (request, key) => fieldIn(request, 'authorization') === `Ledger seal=${sealOf(request, key)}`,
  read: ({ body }) => {
    const { entry } = PARSER.parse(body.toString('utf8')) as Entry;
    return {
      to: entry.to['@box'],
      subject: entry.title,
      attachments: [entry.file ?? []].flat().map((file) => ({ name: file['@name'], bytes: Buffer.from(file['#'], 'base64').length })),
      mail: undefined,
      headers: {},
    };
  },
  unknownCaller: { status: 403, body: problem('seal', 'the seal does not fit'), headers: XML },
  accepted: (id) => ({ status: 202, body: `<?xml version="1.0"?><done><entry nr="${id}"/></done>`, headers: XML }),
  refused: (address) => ({ status: 409, body: problem('5.1.1', `no such box: ${address}`), headers: XML }),
  later: { status: 503, body: problem('4.3.2', 'come back in 0 seconds'), headers: XML },
  withoutId: { status: 202, body: '<done/>', headers: XML },
  call: (news, { url, secret }) => ({
    url: `${url}?seal=${encodeURIComponent(secret)}`,
    body: news.map(newsOf).join('\n'),
    headers: { 'Content-Type': 'application/x-ndjson' },
  }),
};
