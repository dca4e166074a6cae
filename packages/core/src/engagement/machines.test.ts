import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { judgeHit, type Hit } from './index.js';

const BROWSER = 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0';
const PHONE = 'Mozilla/5.0 (Linux; Android 15) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Mobile Safari/537.36';
const SENT = Date.UTC(2026, 10, 20, 9);
const MINUTE = 60_000;

/** [milliseconds after sending, link (0 for the picture), what else] */
type Step = readonly [after: number, index: number, more?: Partial<Hit>];
type By = 'person' | 'machine' | 'unknown';

const hitsOf = (steps: readonly Step[]): Hit[] =>
  steps.map(([after, index, more], i) => ({
    id: `h${i}`,
    at: SENT + after,
    index,
    method: 'GET',
    agent: BROWSER,
    purpose: '',
    from: 'a',
    ...more,
  }));

const PATTERNS: readonly (readonly [name: string, links: number, steps: readonly Step[], expected: readonly By[]])[] = [
  [
    'a person reads and follows a link',
    3,
    [
      [5 * MINUTE, 0],
      [6 * MINUTE, 2],
    ],
    ['person', 'person'],
  ],
  [
    'a person in the first minute',
    3,
    [
      [20_000, 0],
      [41_000, 1],
    ],
    ['person', 'person'],
  ],
  [
    'a person who is very quick',
    2,
    [
      [4000, 0],
      [6500, 1],
    ],
    ['person', 'person'],
  ],
  ['a person after a month', 3, [[30 * 24 * 60 * MINUTE, 1]], ['person']],
  [
    'a person on a phone',
    3,
    [
      [9 * MINUTE, 0, { agent: PHONE }],
      [10 * MINUTE, 1, { agent: PHONE }],
    ],
    ['person', 'person'],
  ],
  [
    'the same link twice, by impatience',
    3,
    [
      [MINUTE, 1],
      [MINUTE + 800, 1],
    ],
    ['person', 'person'],
  ],
  [
    'two of three links within two seconds',
    3,
    [
      [MINUTE, 1],
      [MINUTE + 1800, 2],
    ],
    ['person', 'person'],
  ],
  [
    'two people share a forwarded email',
    3,
    [
      [MINUTE, 1],
      [MINUTE + 400, 2, { from: 'b', agent: PHONE }],
      [MINUTE + 900, 3, { from: 'c' }],
    ],
    ['person', 'person', 'person'],
  ],
  [
    'two people with the same browser in two networks',
    2,
    [
      [MINUTE, 1],
      [MINUTE + 300, 2, { from: 'b' }],
    ],
    ['person', 'person'],
  ],
  [
    'a phone whose name ends like that of a robot',
    2,
    [[MINUTE, 1, { agent: 'Mozilla/5.0 (Linux; Android 14; CUBOT X70) Chrome/140' }]],
    ['person'],
  ],
  [
    'a picture proxy that asks on opening',
    0,
    [[MINUTE, 0, { agent: 'Mozilla/5.0 (Windows NT 5.1; rv:11.0) Gecko Firefox/11.0 (via ggpht.com GoogleImageProxy)' }]],
    ['person'],
  ],
  ['a desktop mail reader', 0, [[MINUTE, 0, { agent: 'Mozilla/4.0 (compatible; ms-office; MSOffice 16)' }]], ['person']],
  [
    'another desktop mail reader',
    0,
    [[MINUTE, 0, { agent: 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Thunderbird/140.5.0' }]],
    ['person'],
  ],
  ['a proxy that loads every picture', 0, [[3 * MINUTE, 0, { agent: 'Mozilla/5.0' }]], ['machine']],
  ['prefetch within a second', 3, [[700, 0]], ['machine']],
  ['a link within a second', 3, [[900, 1]], ['machine']],
  ['prefetch while the answer of the server was under way', 3, [[-400, 0]], ['machine']],
  ['a clock that was set back says nothing', 3, [[-5 * MINUTE, 1]], ['person']],
  [
    'a scanner follows all links',
    4,
    [
      [4000, 1],
      [4200, 2],
      [4300, 3],
      [4900, 4],
    ],
    ['machine', 'machine', 'machine', 'machine'],
  ],
  [
    'a scanner follows both links',
    2,
    [
      [4000, 1],
      [4500, 2],
    ],
    ['machine', 'machine'],
  ],
  [
    'a scanner an hour later',
    3,
    [
      [60 * MINUTE, 1],
      [60 * MINUTE + 100, 2],
      [60 * MINUTE + 200, 3],
    ],
    ['machine', 'machine', 'machine'],
  ],
  [
    'a scanner, then a person elsewhere',
    3,
    [
      [3000, 1, { from: 's' }],
      [3300, 2, { from: 's' }],
      [3600, 3, { from: 's' }],
      [9000, 2, { from: 'p' }],
    ],
    ['machine', 'machine', 'machine', 'person'],
  ],
  [
    'a scanner that loads the picture with the links',
    3,
    [
      [3000, 0],
      [3100, 1],
      [3200, 2],
      [3300, 3],
    ],
    ['person', 'machine', 'machine', 'machine'],
  ],
  [
    'a scanner takes its time with the last',
    5,
    [
      [3000, 1],
      [3500, 2],
      [4000, 3],
      [11_000, 4],
    ],
    ['machine', 'machine', 'machine', 'machine'],
  ],
  ['HEAD alone', 3, [[MINUTE, 1, { method: 'HEAD' }]], ['machine']],
  [
    'HEAD, then GET',
    3,
    [
      [MINUTE, 1, { method: 'HEAD' }],
      [MINUTE + 300, 1],
    ],
    ['machine', 'machine'],
  ],
  [
    'GET, then HEAD',
    3,
    [
      [MINUTE, 1],
      [MINUTE + 300, 1, { method: 'HEAD' }],
    ],
    ['machine', 'machine'],
  ],
  [
    'HEAD of another program',
    3,
    [
      [MINUTE, 1, { method: 'HEAD', from: 's' }],
      [MINUTE + 300, 1],
    ],
    ['machine', 'person'],
  ],
  ['OPTIONS', 3, [[MINUTE, 1, { method: 'OPTIONS' }]], ['machine']],
  ['a browser prefetches', 3, [[MINUTE, 1, { purpose: 'prefetch' }]], ['machine']],
  ['a browser prefetches for someone', 3, [[MINUTE, 1, { purpose: 'prefetch;anonymous-client-ip' }]], ['machine']],
  ['a browser renders ahead', 3, [[MINUTE, 1, { purpose: 'prefetch;prerender' }]], ['machine']],
  ['a reader previews', 3, [[MINUTE, 1, { purpose: 'preview' }]], ['machine']],
  ['no user agent', 3, [[MINUTE, 1, { agent: '' }]], ['machine']],
  ['a chat makes a preview', 3, [[MINUTE, 1, { agent: 'Examplebot-LinkExpanding 1.0 (+https://chat.example/robots)' }]], ['machine']],
  [
    'a robot that looks like a browser',
    3,
    [[MINUTE, 1, { agent: 'Mozilla/5.0 (compatible; Examplebot/2.1; +https://search.example/bot.html)' }]],
    ['machine'],
  ],
  ['a crawler', 3, [[MINUTE, 1, { agent: 'Mozilla/5.0 (compatible; example-crawler)' }]], ['machine']],
  ['a scanner by name', 3, [[MINUTE, 1, { agent: 'ExampleSecurity-URL-Scanner/3' }]], ['machine']],
  [
    'a browser without a person',
    3,
    [[MINUTE, 1, { agent: 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 HeadlessChrome/142.0.0.0 Safari/537.36' }]],
    ['machine'],
  ],
  ['a program', 3, [[MINUTE, 1, { agent: 'curl/8.14.1' }]], ['machine']],
  ['another program', 3, [[MINUTE, 1, { agent: 'python-requests/2.32' }]], ['machine']],
  ['a mail reader that nobody knows', 0, [[MINUTE, 0, { agent: 'PierMail/3.1' }]], ['unknown']],
  ['a link followed by a reader that nobody knows', 2, [[MINUTE, 1, { agent: 'PierMail/3.1' }]], ['unknown']],
];

test('the table has at least 40 patterns', () => {
  expect(PATTERNS.length).toBeGreaterThanOrEqual(40);
});

test.each(PATTERNS)('%s', (_name, links, steps, expected) => {
  const hits = hitsOf(steps);
  const verdicts = hits.map((hit) => judgeHit(hit, hits, { sentAt: SENT, links }));
  expect(verdicts.map(({ by }) => by)).toEqual(expected);
  for (const { reason } of verdicts) expect(reason).toMatch(/^[A-Z0-9].*\.$/);
});

test('hits give the same verdict in any order, and however often each is reported', () => {
  const step = fc.tuple(
    fc.nat(15_000),
    fc.nat(3),
    fc.record({ from: fc.constantFrom('a', 'b'), method: fc.constantFrom('GET', 'GET', 'HEAD') }),
  );
  fc.assert(
    fc.property(fc.array(step, { minLength: 1, maxLength: 8 }), fc.infiniteStream(fc.nat()), (steps, chance) => {
      const hits = hitsOf(steps);
      const email = { sentAt: SENT, links: 3 };
      const shuffled = [...hits, ...hits]
        .map((hit) => [chance.next().value as number, hit] as const)
        .sort((a, b) => a[0] - b[0])
        .map(([, hit]) => hit);
      for (const hit of hits) expect(judgeHit(hit, shuffled, email)).toEqual(judgeHit(hit, hits, email));
    }),
  );
});

test('where it is not known when an email was sent, nothing is too soon', () => {
  const [hit] = hitsOf([[500, 1]]) as [Hit];
  expect(judgeHit(hit, [hit], { sentAt: undefined, links: 3 }).by).toBe('person');
});
